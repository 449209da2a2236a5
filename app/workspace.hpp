// What the window works on: the library, the take with its source, the target, their pairing and the result.
// Loading and solving run in the background and are superseded by newer ones; everything is announced by
// signals. Knows no widgets.
#pragma once
#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QStringList>
#include <QThreadPool>
#include <QTimer>
#include <atomic>
#include <map>
#include <memory>

#include "core/library/keep.hpp"
#include "core/library/library.hpp"
#include "core/library/sort.hpp"
#include "core/review/result.hpp"
#include "core/transfer/engine.hpp"
#include "draw/figure.hpp"
#include "draw/scene.hpp"

namespace nb {

/// A rig or take that is in use, with the figure it is drawn as.
struct Loaded {
    LoadedFile file;
    std::shared_ptr<const Figure> figure;
    std::vector<BoneSegment> segments;  ///< for picking
    std::vector<Prop> props;            ///< what stands beside the bodies of a take
    std::vector<std::string> notes;
    std::shared_ptr<const Rig> drawn;  ///< the rig it is drawn from when that is another copy's; else null
};
using LoadedPtr = std::shared_ptr<const Loaded>;

/// The alignments of a rig: the one in force, and further ones by name.
struct RestState {
    RestAlignment rest;
    std::vector<RestAlignment> others;
    RestAlignment solved;  ///< what corrections are counted from

    /// Equal in the alignments themselves.
    bool is_same(const RestState& other) const;
};

/// One that can be chosen: of the library, or a file that was opened.
struct Choice {
    QString name;  ///< as shown
    QString path;
    QString document;   ///< character.json, or the *.take.json to load instead
    QString character;  ///< a motion file without a document: the character.json that fits its skeleton
    bool is_of_library = false;
    int animation = 0;  ///< which, of a file that holds several
    QString holds;      ///< of a file that was opened: what is in it, one sentence
};

/// A result that stays beside new ones, with its own figures.
struct Pinned {
    std::shared_ptr<const TransferResult> result;
    std::shared_ptr<const Review> review;
    LoadedPtr target;
    QString words;  ///< what it is, one line
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
    /// Several files at once: each is looked at, rigs become targets, motion takes; the last of each is taken
    /// up.
    void open_files(const QStringList& paths);

    bool has_library() const { return has_library_; }
    QString library_folder() const { return QString::fromStdString(library_.folder); }
    /// Makes an empty library and opens it; false when that failed (said).
    bool create_library(const QString& folder, const QString& name);
    /// Reads the folder again: what others have added, renamed, removed. Keeps what is in use.
    void read_library_again();
    /// What an undo command needs to change the library; false when it failed (said), and nothing has
    /// changed.
    bool add_to_library(const Choice& choice, bool is_character, Choice& added);
    bool rename_in_library(const Choice& choice, bool is_character, const QString& name, Choice& renamed);
    bool lay_aside(const Choice& choice, bool is_character, Trashed& trashed);
    bool put_back(const Trashed& trashed);

    LoadedPtr source() const { return source_; }
    LoadedPtr target() const { return target_; }
    std::shared_ptr<const TransferResult> result() const { return result_; }
    std::shared_ptr<const Review> review() const { return review_; }
    /// Keeps the result in force beside the ones to come; lets go of it. It goes with its take.
    void pin(const QString& words);
    void unpin();
    const std::optional<Pinned>& pinned() const { return pinned_; }
    /// Keeps the result in force as that before a change; while it is shown, poses are its.
    void remember_before();
    void show_before(bool on);
    bool is_before_shown() const { return is_before_shown_ && before_ != nullptr; }
    const Plan* plan() const { return plan_ ? &*plan_ : nullptr; }
    bool is_busy() const { return jobs_ > 0; }

    /// The pairing in use. Changes are solved at once; the shown frame first.
    const PairingSettings& settings() const;
    QString pairing_key() const;
    void set_settings(const QString& pairing_key, const PairingSettings& settings);
    /// A body's roles, changed by hand: the rest is aligned anew and the take carried at once. `path` names
    /// the file it is for: nothing happens when another is in use.
    void set_roles(bool of_target, const QString& path, const RoleMap& roles);
    /// How the file of the source or the target is read: the repairs of the intake. It is read again in the
    /// background; roles given by hand stay.
    void set_intake(bool of_target, const QString& path, const LoadOptions& options);
    /// A body's rest alignments; the take is carried with them at once. With `is_kept` false the change is
    /// for the eye alone: it is followed by one that is kept.
    void set_rest(bool of_target, const QString& path, const RestState& state, bool is_kept = true);
    RestState rest_state(bool of_target) const;
    /// What is set for the target's chains, whatever drives them; kept with its character.
    void set_chains(const QString& path, const ChainTable& chains);
    /// What each level says of a chain of the target.
    ChainLevels levels(const std::string& chain) const;
    /// By which settings for the take in use are kept; empty without one.
    std::string take_key() const;
    LoadedPtr body(bool of_target) const { return of_target ? target_ : source_; }
    /// Characters of the library whose bones are in a body's rig, best first: name, share of bones, document.
    struct Kin {
        QString name;
        double share = 0.0;
        QString document;
    };
    std::vector<Kin> kin_of(bool of_target) const;

    /// Plays the shipped limbering take on the target and measures it; `end_limbering` brings back what was.
    void start_limbering();
    void end_limbering();
    bool is_limbering() const { return before_limbering_ != nullptr; }
    QString take_name() const;
    bool has_unsaved_changes() const;
    /// Writes what is unsaved. With `over_others` also over a document somebody else has changed.
    void save(bool over_others = false);
    void drop_recovery() const;

    /// Poses of one frame with the settings in force: the finished result, or solved here and now.
    void poses_at(int frame, Pose& source, Pose& target) const;
    /// k of the place map in force.
    double place_scale() const { return plan_ ? plan_->k : 1.0; }
    /// What each pass does to the body at a frame.
    PassEffects pass_effects(int frame) const;
    /// Contacts of the take in force: edited by hand, else as found.
    const Contacts& contacts() const;
    /// Contacts by hand (`is_by_hand`), or to be found anew, for the take of that file.
    void set_contacts(const QString& path, const Contacts& contacts);
    /// Twist bones of the target that the pass twist turns.
    int twist_count() const { return plan_ ? int(plan_->twists.size()) : 0; }

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
    void file_opened(const QString& path, bool as_take, const QString& holds);
    void files_sorted(const std::vector<nb::SortedFile>& files);
    void limbering_changed();
    void pin_changed();
    void before_shown(bool on);
    void rest_changed();  ///< of one of the bodies; figures and roles are as before

  private:
    struct PairingState {
        Pairing pairing;
        std::string path;
        std::string text_as_read;  ///< empty: not on disk yet
        PairingSettings saved;
    };

    QThreadPool pool_;
    QFileSystemWatcher watcher_;
    QTimer changed_;  ///< fires once the library's folder has been quiet for a moment
    Library library_;
    bool has_library_ = false;
    std::vector<Choice> takes_, targets_;
    int take_index_ = -1;
    int target_index_ = -1;
    LoadedPtr source_, target_;
    std::shared_ptr<const TransferResult> result_;
    std::shared_ptr<const Review> review_;
    std::optional<Pinned> pinned_;
    std::shared_ptr<const TransferResult> before_;
    bool is_before_shown_ = false;
    std::map<QString, PairingState> pairings_;
    /// Files whose roles or reading were changed and not saved yet, with what is on disk.
    struct FileChange {
        LoadedPtr now;
        RoleMap saved_roles;
        LoadOptions saved_options;
        RestState saved_rest;
        Contacts saved_contacts;
        ChainTable saved_chains;
        bool is_target = true;
        Choice choice;
    };
    std::map<QString, FileChange> file_changes_;  ///< by change_key
    LoadedPtr before_limbering_;
    std::shared_ptr<const Plan> plan_;           ///< of the settings in force
    std::shared_ptr<const WorldMotion> motion_;  ///< the source's, in the world
    bool is_result_current_ = false;
    int jobs_ = 0;
    std::shared_ptr<std::atomic<bool>> solve_cancel_, export_cancel_;
    std::array<std::shared_ptr<std::atomic<bool>>, 2> load_cancel_;  ///< take, target

    template <typename Work, typename Done>
    void run(const QString& what, const std::shared_ptr<std::atomic<bool>>& cancelled, Work work, Done done);
    void load(const Choice& choice, bool as_target);
    /// Lists a file beside the library (a take once for each of its animations), unless it is there; index of
    /// the first.
    int list_file(const SortedFile& file, bool is_rig);
    void list_library();
    Choice choice_of(const LibraryEntry& entry, bool is_character);
    template <typename Change>
    bool change_library(Change change);
    void take_up(LoadedPtr loaded, bool as_target);
    PairingState& state();
    /// What contacts added there when the whole take was last solved; empty when nothing that fits is there.
    std::optional<FrameCorrection> held_at(int frame) const;
    void find_pairing_state();
    QString recovery_path(const PairingState& state) const;
    static QString change_key(const Choice& choice, bool as_target);
    static QString recovery_path(const QString& change_key);
    const Choice* choice_in_use(bool of_target) const;
    void remember_change(bool of_target, const LoadedPtr& loaded);
    void keep_change(bool of_target, const LoadedPtr& loaded);
    QString save_source(const FileChange& change, const QString& take_document);
    bool save_file_changes();
    void keep_certificate();
    void bring_back_changes(bool of_target);
    void compile();
    void solve();
};

}  // namespace nb
