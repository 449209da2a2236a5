// What the window works on: the library, the take with its source, the target, their pairing and the result.
// Loading and solving run in the background and are superseded by newer ones; everything is announced by
// signals. Knows no widgets.
#pragma once
#include <QObject>
#include <QString>
#include <QStringList>
#include <QThreadPool>
#include <atomic>
#include <map>
#include <memory>

#include "core/library/library.hpp"
#include "core/review/review.hpp"
#include "core/transfer/engine.hpp"
#include "draw/figure.hpp"

namespace nb {

/// A rig or take that is in use, with the figure it is drawn as.
struct Loaded {
    LoadedFile file;
    std::shared_ptr<const Figure> figure;
    std::vector<std::string> notes;
};
using LoadedPtr = std::shared_ptr<const Loaded>;

/// One that can be chosen: of the library, or a file that was opened.
struct Choice {
    QString name;  ///< as shown
    QString path;
    QString document;  ///< character.json, or the *.take.json to load instead
};

class Workspace : public QObject {
    Q_OBJECT

  public:
    explicit Workspace(QObject* parent = nullptr);
    ~Workspace() override;

    void open_library(const QString& folder);
    const std::vector<Choice>& takes() const { return takes_; }
    const std::vector<Choice>& targets() const { return targets_; }
    int take_index() const { return take_index_; }
    int target_index() const { return target_index_; }
    void choose_take(int index);
    void choose_target(int index);
    void step_target(int by);
    /// Opens a file as what it is: with motion a take, without a rig; `as_target` takes its rest only.
    void open_file(const QString& path, bool as_target = false);

    LoadedPtr source() const { return source_; }
    LoadedPtr target() const { return target_; }
    std::shared_ptr<const TransferResult> result() const { return result_; }
    std::shared_ptr<const Review> review() const { return review_; }
    bool is_busy() const { return jobs_ > 0; }

    /// The pairing in use. Changes are solved at once; the shown frame first.
    const PairingSettings& settings() const;
    QString pairing_key() const;
    void set_settings(const QString& pairing_key, const PairingSettings& settings);
    bool has_unsaved_changes() const;
    /// Writes what is unsaved. With `over_others` also over a document somebody else has changed.
    void save(bool over_others = false);
    void drop_recovery() const;

    /// Poses of one frame with the settings in force: the finished result, or solved here and now.
    void poses_at(int frame, Pose& source, Pose& target) const;
    /// How far each pass moves the body at a frame: root, angles, reach; mean over joints, cm.
    std::array<double, 3> pass_distances_cm(int frame) const;

    void export_result(const QString& path);
    void cancel();

  signals:
    void choices_changed();
    void source_changed();
    void target_changed();
    void settings_changed();
    void result_changed();
    void review_changed();
    void progressed(const QString& what, int done, int of);  ///< of = 0: over
    void said(const QString& line);                          ///< something done or found, one line
    void failed(const QString& line);                        ///< something that went wrong, one line
    void changed_by_others(const QString& path);
    void file_opened(const QString& path, bool as_take);

  private:
    struct PairingState {
        Pairing pairing;
        std::string path;
        std::string text_as_read;  ///< empty: not on disk yet
        PairingSettings saved;
    };

    QThreadPool pool_;
    Library library_;
    bool has_library_ = false;
    std::vector<Choice> takes_, targets_;
    int take_index_ = -1;
    int target_index_ = -1;
    LoadedPtr source_, target_;
    std::shared_ptr<const TransferResult> result_;
    std::shared_ptr<const Review> review_;
    std::map<QString, PairingState> pairings_;
    std::shared_ptr<const Plan> plan_;           ///< of the settings in force
    std::shared_ptr<const WorldMotion> motion_;  ///< the source's, in the world
    bool is_result_current_ = false;
    int jobs_ = 0;
    std::shared_ptr<std::atomic<bool>> solve_cancel_, export_cancel_;
    std::array<std::shared_ptr<std::atomic<bool>>, 2> load_cancel_;  ///< take, target

    template <typename Work, typename Done>
    void run(const QString& what, const std::shared_ptr<std::atomic<bool>>& cancelled, Work work, Done done);
    void load(const Choice& choice, bool as_target);
    void take_up(LoadedPtr loaded, bool as_target);
    PairingState& state();
    void find_pairing_state();
    QString recovery_path(const PairingState& state) const;
    void compile();
    void solve();
};

}  // namespace nb
