// The scene that is open: several takes on several targets, on one clock and one floor, carried together. One cast is in
// hand: its pair stands on the stage and in the stations; the others go on beside it.
#pragma once
#include <QObject>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

#include "app/work/jobs.hpp"
#include "app/work/loaded.hpp"
#include "app/work/solver.hpp"
#include "core/library/scenes.hpp"
#include "core/scene/events.hpp"

namespace nb {

/// What a cast of the open scene is read from, and its bodies as they are now.
struct CastBodies {
    Choice take, target;
    LoadedPtr source, body;
    PairingSettings settings;
    std::shared_ptr<const BodySurface> skin;  ///< of the target, as it was read
};

class SceneWork : public QObject {
    Q_OBJECT

  public:
    SceneWork(Jobs& jobs, Solver& solver, QObject* parent);

    bool is_open() const { return !casts_.empty(); }
    const DocumentKey& key() const { return key_; }
    const SceneDocument& document() const { return scene_.document; }
    const std::vector<CastBodies>& casts() const { return casts_; }
    /// As it is carried: casts where they are.
    const OpenScene& scene() const { return scene_; }
    size_t in_hand() const { return in_hand_; }

    /// `path`: of its document, whether that is there or not. What was carried before is of another scene.
    void open(const DocumentKey& key, const std::string& path, const SceneDocument& document,
              std::vector<CastBodies> casts);
    void close();
    /// The same casts, elsewhere or by other distances.
    void set_document(const SceneDocument& document);
    void take_in_hand(size_t cast) { in_hand_ = cast; }
    /// `renew` gives each cast's bodies and settings as they are now; the solver follows the one in hand.
    void follow(const std::function<void(CastBodies&)>& renew, const std::string& take_key);
    /// In the background; what of it is of the cast in hand goes to the solver.
    void solve(const std::function<void(const Review&)>& then = {});
    void cancel() { nb::cancel(cancelled_); }

    /// As carried last, perhaps by settings that are not in force any more; null while there is nothing of these casts.
    std::shared_ptr<const SceneResult> result() const { return result_; }
    std::shared_ptr<const SceneResult> finished() const { return is_current_ ? result_ : nullptr; }
    /// Null while nothing is measured.
    std::shared_ptr<const SceneReview> review() const { return review_; }
    const std::vector<SceneEvent>& events() const { return events_; }
    /// By hand, else as found; none while nothing is found.
    const std::vector<BodyTouch>& touches() const;

    /// The scene's clock.
    double scene_s(int frame_in_hand) const;
    int frame_in_hand(double scene_s) const;
    double first_s() const;
    double last_s() const;
    /// A cast's source or target at a time: the one in hand as it is now, others as carried last. Empty without one.
    Pose pose_at(size_t cast, double scene_s, bool of_target) const;
    /// How far the hand of a touch is off the other's skin there, mm; below 0 it is in it. None when it is far off.
    std::optional<double> gap_mm(const BodyTouch& touch, double scene_s) const;
    /// Whether a touch is at that time.
    bool is_at(const BodyTouch& touch, double scene_s) const;
    /// By which distances are scaled.
    double scale() const;
    /// The place on the floor that distances leave where it is; none for one cast alone.
    std::optional<Vec3> centre_m() const;
    /// By how much each cast's steps are longer than its own legs' would be, as a share; none for one cast alone.
    std::vector<double> steps() const;

  signals:
    void result_changed();
    void review_changed();

  private:
    Jobs& jobs_;
    Solver& solver_;
    DocumentKey key_;
    OpenScene scene_;
    std::vector<CastBodies> casts_;
    size_t in_hand_ = 0;
    std::shared_ptr<const SceneResult> result_;
    bool is_current_ = false;
    std::shared_ptr<const SceneReview> review_;
    std::vector<SceneEvent> events_;
    Cancelled cancelled_;

    void place();
    void give(const std::function<void(const Review&)>& then);
    void measure();
};

}  // namespace nb
