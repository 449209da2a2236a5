// The pair on the stage, carried: its plan, the result with its review, and what stands beside the result to
// be compared with it.
#pragma once
#include <QObject>
#include <functional>
#include <memory>
#include <optional>

#include "app/work/jobs.hpp"
#include "app/work/loaded.hpp"
#include "core/motion/kinematics.hpp"
#include "core/review/bars.hpp"
#include "core/review/events.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// A result that stays beside new ones, with its own figures.
struct Pinned {
    std::shared_ptr<const TransferResult> result;
    std::shared_ptr<const Review> review;
    LoadedPtr target;
    QString words;      ///< what it is, one line
    FileFrames frames;  ///< how its frames lie in the take's file
};

class Solver : public QObject {
    Q_OBJECT

  public:
    Solver(Jobs& jobs, QObject* parent);

    /// Another body or take stands on the stage, or one that was read anew: results are of what was before.
    /// A pin goes when the take is another one.
    void start_anew(const LoadedPtr& source, bool is_source_new, bool is_other_take);
    /// The pair and its settings as they are from now on; either may be missing. Results are stale until
    /// `solve` is done; the shown frame is solved here and now. `placed`: the take where it is in a scene, null: as
    /// its file has it.
    void follow(const LoadedPtr& source, const LoadedPtr& target, const PairingSettings& settings,
                const std::string& take_key, const std::shared_ptr<const Take>& placed = nullptr);
    /// In the background; `then` is told its review.
    void solve(const std::function<void(const Review&)>& then = {});
    /// What was carried elsewhere is the result of the pair in force; measured in the background.
    void put_result(std::shared_ptr<const TransferResult> result,
                    const std::function<void(const Review&)>& then = {});
    void cancel() { nb::cancel(cancelled_); }

    const Plan* plan() const { return plan_.get(); }
    /// Of the source's motion as it is carried, with its touch-ups.
    int frames() const { return motion_ ? motion_->frames : 0; }
    double time_s(int frame) const { return motion_ ? motion_->time_s(frame) : 0.0; }
    std::shared_ptr<const TransferResult> result() const { return result_; }
    /// The result when it is of the pair and the settings in force; else null.
    std::shared_ptr<const TransferResult> finished() const { return is_current_ ? result_ : nullptr; }
    std::shared_ptr<const Review> review() const { return review_; }
    /// Where the result falls short; empty while nothing is measured.
    const std::vector<ReviewEvent>& events() const { return events_; }

    /// Keeps the result in force beside the ones to come; lets go of it.
    void pin(const QString& words);
    void unpin();
    const std::optional<Pinned>& pinned() const { return pinned_; }
    /// The same without any touch-up, to be compared with; in the background when it is not there yet, null until then.
    std::shared_ptr<const TransferResult> without_touch_ups();

    /// Keeps the result in force as that before a change; while it is shown, poses are its.
    void remember_before();
    void show_before(bool on);
    bool is_before_shown() const { return is_before_shown_ && before_ != nullptr; }

    /// Poses of one frame with the settings in force: the finished result, or solved here and now.
    void poses_at(int frame, Pose& source, Pose& target) const;
    /// One joint's place at a frame: of the target as last solved, also while that is stale. None while there
    /// is nothing of this body and take.
    std::optional<Vec3> place_of(bool in_target, int joint, int frame) const;
    /// What each pass does to the body at a frame.
    PassEffects pass_effects(int frame) const;
    /// Which limb's reach moves which bone there.
    std::vector<ReachEffect> reach_effects(int frame) const;
    /// Contacts of the take in force: edited by hand, else as found.
    const Contacts& contacts() const;

  signals:
    void result_changed();
    void review_changed();
    void pin_changed();
    void without_changed();
    void before_shown(bool on);
    void failed(const QString& line);

  private:
    Jobs& jobs_;
    LoadedPtr source_, target_;
    std::shared_ptr<const Take> placed_;  ///< null: as the source's file has it
    PairingSettings settings_;
    std::shared_ptr<const Plan> plan_;              ///< of the settings in force
    std::shared_ptr<const WorldMotion> untouched_;  ///< the source's, in the world, as its file has it
    std::shared_ptr<const WorldMotion> motion_;     ///< the same with its touch-ups
    TouchLayers touches_;                           ///< in force
    TouchLayers on_source_;                         ///< those that are in `motion_`
    std::shared_ptr<const TransferResult> result_;
    std::shared_ptr<const Review> review_;
    std::vector<ReviewEvent> events_;
    bool is_current_ = false;
    std::optional<Pinned> pinned_;
    std::shared_ptr<const TransferResult> before_;
    bool is_before_shown_ = false;
    /// What a result without touch-ups is of.
    struct Bare {
        LoadedPtr source, target;
        std::shared_ptr<const Take> take;
        PairingSettings settings;
        bool operator==(const Bare&) const = default;
    };
    Bare bare_of_;  ///< of what is there or on its way
    std::shared_ptr<const TransferResult> bare_;
    mutable std::optional<Contacts> found_;   ///< contacts of the source, while no result tells them
    mutable std::optional<HandMarks> marks_;  ///< what the source's hands touch, once it is asked for
    Cancelled cancelled_, bare_cancelled_;

    /// The take in force.
    std::shared_ptr<const Take> take() const;
    void show(std::shared_ptr<const TransferResult> result, const std::function<void(const Review&)>& then);
    std::optional<FrameCorrection> held_at(int frame) const;
    const HandMarks& marks() const;
    void touch_source();
    void touch_last(int frame, Pose& target) const;
};

}  // namespace nb
