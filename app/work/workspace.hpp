// What the window works on: the library, the take with its source, the target, their pairing and the result.
// Loading and solving run in the background and are superseded by newer ones; everything is announced by
// signals. Knows no widgets: a test or a script drives it as the window does.
//
// Its parts: what can be chosen (catalogue.hpp), what is open (opened.hpp), the pair carried (solver.hpp),
// work in the background (jobs.hpp). Changes address a document by its key, on the stage or not; they live in
// drafts (core/library/drafts.hpp) until they are saved, and beside them on disk for a program that ends
// without being asked (core/library/recovery.hpp).
#pragma once
#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QStringList>
#include <QTimer>
#include <array>
#include <map>
#include <memory>
#include <set>

#include "app/work/catalogue.hpp"
#include "app/work/jobs.hpp"
#include "app/work/opened.hpp"
#include "app/work/scene_work.hpp"
#include "app/work/solver.hpp"
#include "core/library/changes.hpp"
#include "core/library/classify.hpp"
#include "core/library/recovery.hpp"

namespace nb {

/// What is open, with its state, for lists.
struct OpenState {
    DocumentKey key;
    QString name;
    bool is_on_stage = false;
    int roles = 0;
    QString rest;         ///< name of the alignment in force
    QStringList unsaved;  ///< what of it has changed
};

/// What of a stream stands in the place of the take.
struct LiveShown {
    QString address, performer;
    bool has_pose = false;
    Pose source, target;  ///< world; as many joints as the bodies on the stage have
    PlaceMap map;
};

class Workspace : public QObject {
    Q_OBJECT

  public:
    explicit Workspace(QObject* parent = nullptr);
    ~Workspace() override;

    void open_library(const QString& folder);
    const std::vector<Choice>& takes() const { return catalogue_.takes(); }
    const std::vector<Choice>& targets() const { return catalogue_.targets(); }
    /// Places in the lists of what is open; -1 when it is in none.
    int take_index() const;
    int target_index() const;
    void choose_take(int index) { choose(index, false); }
    void choose_target(int index) { choose(index, true); }
    void step_target(int by);
    /// Opens a file as what it is: with motion a take, without a rig; `as_target` takes its rest only.
    void open_file(const QString& path, bool as_target = false);
    /// Several files at once: each is looked at, rigs become targets, motion takes; the last of each is taken
    /// up.
    void open_files(const QStringList& paths);

    bool has_library() const { return catalogue_.has_library(); }
    QString library_folder() const { return catalogue_.folder(); }
    /// On the stage, shown before, or changed.
    std::vector<OpenState> open_now() const;
    /// Puts what is open on the stage.
    void open_again(const DocumentKey& key);
    /// The target's result is the take from now on, moved by the target: another can take it on. It has no
    /// file; export keeps it.
    void use_result_as_take();
    /// A body and motion without a file onto the stage, listed under a name: of a stream.
    void open_made_take(const LoadedFile& file, const QString& name);
    /// Makes an empty library and opens it; false when that failed (said).
    bool create_library(const QString& folder, const QString& name);
    /// Reads the folder again: what others have added, renamed, removed. Keeps what is in use.
    void read_library_again();
    /// What an undo command needs to change the library; false when it failed (said), and nothing has
    /// changed.
    bool add_to_library(const Choice& choice, bool is_character, Choice& added);
    /// Tags and notes of a take or character of the library; what is open of it goes on with them.
    /// Changes the files of a character; `now`: how it is listed then. Nothing happens, and is told, while it has unsaved
    /// changes. What shows it reads it anew.
    bool change_rig(const Choice& character,
                    const std::function<LibraryEntry(const Library&, const LibraryEntry&)>& change,
                    Choice& now);
    /// The same for several documents.
    bool change_documents(const std::vector<std::string>& documents,
                          const std::function<void(const Library&)>& change);
    bool set_words(const Choice& choice, bool is_character, const ItemWords& words);
    bool rename_in_library(const Choice& choice, bool is_character, const QString& name, Choice& renamed);
    bool lay_aside(const Choice& choice, bool is_character, Trashed& trashed);
    bool put_back(const Trashed& trashed);
    /// What was taken in or out again: the one stands in the place of the other in lists and on the stage.
    void take_place(const Choice& of, const Choice& now, bool is_character);
    void open_beside(const Choice& choice, bool is_character);
    /// What programs that ended half-way left in the library goes to its trash.
    void lay_leftovers_aside();
    /// Of the library that is open, beside the shipped ones.
    std::vector<HandPose> hand_poses() const;
    /// Into the library; false when it did not go. Without a library nothing is to be done.
    bool keep_hand_pose(const HandPose& pose);

    // Scenes (scene_work.hpp).
    const SceneWork& scene() const { return scene_; }
    /// Those of the library, and what of others is not saved: name and path.
    std::vector<std::pair<QString, QString>> scenes() const;
    void open_scene(const QString& path);
    /// Of the open scene as it stands, read or still being read.
    const SceneDocument& scene_document() const;
    /// One whose only cast is what is on the stage, called so or nearly so.
    void make_scene(const QString& name);
    /// A cast's pair comes onto the stage, at the time of the scene at which that frame of the one before is.
    void take_in_hand(size_t cast, int frame);
    /// False when it is not open (said). What its casts name is read where it is not open yet.
    bool set_scene(const DocumentKey& key, const SceneDocument& document);
    /// What of it is not saved is kept.
    void close_scene();
    /// How a scene's document names a take or character: as the library does, else by the way from its folder.
    static QString named_in_scene(const Choice& choice, bool as_target, const std::string& scene_path);
    /// A cast of the open scene stands idle by another take of the library before it begins and after it has ended: a new
    /// take of the library is made of both; `cast_padded` says so. What it cannot be done with is said.
    void pad_cast(size_t cast, const QString& idle);
    /// All casts into a folder; nothing is written over.
    void hand_scene_over(const QString& folder);

    LoadedPtr source() const { return body(false); }
    LoadedPtr target() const { return body(true); }
    LoadedPtr body(bool of_target) const { return open_.on_stage(of_target).body; }
    /// The body or take of a document that is open or was changed; null when it is neither.
    LoadedPtr body(const DocumentKey& key) const;
    /// Which document is on the stage; empty when none is.
    const DocumentKey& key(bool of_target) const { return open_.on_stage(of_target).key; }
    bool is_busy() const { return jobs_.is_busy(); }

    // The pair carried (solver.hpp).
    std::shared_ptr<const TransferResult> result() const { return solver_.result(); }
    /// The result when it is of the pair and the settings in force; else null.
    std::shared_ptr<const TransferResult> finished() const { return solver_.finished(); }
    std::shared_ptr<const Review> review() const { return solver_.review(); }
    const std::vector<ReviewEvent>& events() const { return solver_.events(); }
    const Plan* plan() const { return solver_.plan(); }
    /// A pin goes with its take; repairs and roles of the take leave it, for they are what one compares.
    void pin(const QString& words) { solver_.pin(words); }
    void unpin() { solver_.unpin(); }
    const std::optional<Pinned>& pinned() const { return solver_.pinned(); }
    std::shared_ptr<const TransferResult> without_touch_ups() { return solver_.without_touch_ups(); }
    void remember_before() { solver_.remember_before(); }
    void show_before(bool on) { solver_.show_before(on); }
    bool is_before_shown() const { return solver_.is_before_shown(); }
    /// While a stream is shown: its, whatever the frame.
    void poses_at(int frame, Pose& source, Pose& target) const;
    std::optional<Vec3> place_of(bool in_target, int joint, int frame) const;
    /// Those of the take, a stream or not.
    void take_poses_at(int frame, Pose& source, Pose& target) const {
        solver_.poses_at(frame, source, target);
    }
    PassEffects pass_effects(int frame) const { return solver_.pass_effects(frame); }
    std::vector<ReachEffect> reach_effects(int frame) const { return solver_.reach_effects(frame); }
    const Contacts& contacts() const { return solver_.contacts(); }
    PlaceMap place_map() const {
        return live_ && live_->has_pose ? live_->map : plan() ? plan()->program.map : PlaceMap();
    }
    /// A stream stands in the take's place; none: no more.
    void show_live(std::optional<LiveShown> live);
    const std::optional<LiveShown>& live() const { return live_; }
    /// Twist bones of the target that the pass twist turns.
    int twist_count() const { return plan() ? int(plan()->program.twists.size()) : 0; }

    /// The pairing in use. Changes are solved at once; the shown frame first.
    const PairingSettings& settings() const;
    /// Empty without a pair.
    DocumentKey pairing_key() const;
    /// What was said of the take on this target.
    const TakeJudgement& judgement() const;
    FileFrames take_frames() const;
    /// Of the take as it is carried: touch-ups may have changed its pace.
    int frames() const { return solver_.frames(); }
    /// Time of a frame of it on the clock of the take's file, s.
    double time_s(int frame) const { return solver_.time_s(frame); }
    /// Frames somebody has marked, as they are in force; those a trim has taken off are left out.
    std::vector<MarkedFrame> marked_frames() const;
    /// The frame of the pinned result that is the same of the file; -1 where it has none.
    int pinned_frame(int frame) const;

    // Changes of a document, on the stage or not. False when it is not open any more, or the change would
    // leave nothing to work on (said); then nothing has changed.
    bool set_settings(const DocumentKey& key, const PairingSettings& settings);
    /// What is said of a take (by `Take::key`) on a pair's target.
    bool set_judgement(const DocumentKey& key, const std::string& take, const TakeJudgement& judgement);
    /// A body's roles, changed by hand: the rest is aligned anew and the take carried at once.
    bool set_roles(const DocumentKey& key, const RoleMap& roles);
    /// How a file is read: the repairs of the intake. It is read again in the background; what is changed
    /// meanwhile stays.
    bool set_intake(const DocumentKey& key, const LoadOptions& options);
    /// How it is read, or being read.
    LoadOptions intake(const DocumentKey& key) const;
    /// A body's rest alignments; the take is carried with them at once. With `is_kept` false the change is
    /// for the eye alone: it is followed by one that is kept.
    bool set_rest(const DocumentKey& key, const RestState& state, bool is_kept = true);
    /// What is set for a target's chains, whatever drives them; kept with its character.
    bool set_chains(const DocumentKey& key, const ChainTable& chains);
    /// What a target always gets of touch-ups; kept with its character.
    bool set_touches(const DocumentKey& key, const TouchLayers& layers);
    /// Contacts of a take, as its file counts them.
    bool set_contacts(const DocumentKey& key, const Contacts& in_file);

    RestState rest_state(bool of_target) const;
    /// What each level says of a chain of the target.
    ChainLevels levels(const std::string& chain) const;
    /// By which settings for the take in use are kept; empty without one.
    std::string take_key() const;
    std::vector<Catalogue::Kin> kin_of(bool of_target) const;

    /// Plays the shipped limbering take on the target and measures it; `end_limbering` brings back what was.
    void start_limbering();
    void end_limbering();
    bool is_limbering() const { return open_.is_limbering(); }
    QString take_name() const;

    /// What is changed and not saved, on the stage or not.
    std::vector<Drafts::Unsaved> unsaved() const { return drafts_.unsaved(); }
    bool has_unsaved_changes() const { return !drafts_.unsaved().empty(); }
    /// What a session that ended left unsaved, not opened again yet: its key and name.
    std::vector<std::pair<DocumentKey, QString>> left_unsaved() const;
    /// Opens what a session left, with its changes.
    void open_left(const DocumentKey& key);
    /// Writes what is unsaved, each document by itself. With `over_others` also over documents somebody else
    /// has changed.
    void save(bool over_others = false);
    /// One alone. False when it was not written (said).
    bool save_one(const DocumentKey& key, bool over_others = false);
    /// Reads a document that somebody else has changed; what was changed here goes.
    void take_theirs(const QString& document);
    /// Leaving without saving: what is kept for a crash goes.
    void drop_recovery();
    /// Writes what is not saved beside the documents now, not in a moment.
    void flush_recovery();

    /// `remark`: said with what is said when it is written.
    void export_result(const QString& path, const QString& remark = {});
    void cancel();

  signals:
    void choices_changed();
    void source_changed();
    void target_changed();
    void settings_changed();
    void unsaved_changed();
    void leftovers_found(int count);
    void result_changed();
    void review_changed();
    void progressed(const QString& what, int done, int of);  ///< of = 0: over
    void said(const QString& line);                          ///< something done or found, one line
    void failed(const QString& line);                        ///< something that went wrong, one line
    /// Documents that were not written since somebody else has changed them.
    void changed_by_others(const QStringList& documents, const QString& line);
    void file_opened(const QString& path, bool as_take, const QString& holds);
    void thing_opened(const QString& path);  ///< a mesh without a body: it goes onto the take's stage
    void files_sorted(const std::vector<nb::SortedFile>& files);
    void limbering_changed();
    void pin_changed();
    void before_shown(bool on);
    void without_changed();                        ///< the result without touch-ups is there
    void written_changed();                        ///< a result was written
    void live_changed();                           ///< a stream is shown, or no more, or another
    void live_shown();                             ///< its next pose
    void scene_changed();                          ///< opened, changed, closed, or another cast is in hand
    void frame_wanted(int frame);                  ///< of the take on the stage
    void cast_target_wanted(const QString& name);  ///< by a click on a character while a scene is open
    void cast_padded(int cast, const QString& take, double start_s);
    void judged();        ///< something was said of the take on the target
    void rest_changed();  ///< of one of the bodies; figures and roles are as before

  private:
    // Above what they tell: they end first.
    Jobs jobs_;
    QFileSystemWatcher watcher_;
    QTimer changed_;  ///< fires once the library's folder has been quiet for a moment
    Catalogue catalogue_;
    OpenFiles open_;
    DocumentKey shown_take_;  ///< of which the stage showed the motion last
    Solver solver_;
    SceneWork scene_;
    Cancelled casting_;  ///< of what a scene's casts are read from
    Drafts drafts_;
    Recovery recovery_;
    std::set<DocumentKey> to_recover_;
    std::optional<LiveShown> live_;
    QTimer recover_;
    bool is_recovery_told_ = false;
    bool is_leaving_ = false;  ///< without saving: nothing is kept any more
    Cancelled export_cancel_;
    Cancelled opening_;  ///< of what is looked at, opened or limbered; one for all, until it was cancelled
    Cancelled opening();
    int made_count_ = 0;  ///< takes that were made of results
    void open_made(const std::shared_ptr<Loaded>& made, const QString& from);
    /// A file that is being read to come onto the stage as take, as target.
    struct Reading {
        std::optional<Choice> choice;
        Cancelled cancelled;
    };
    std::array<Reading, 2> reading_;
    /// Files that are being read with other repairs.
    struct ReadingAgain {
        Cancelled cancelled;
        LoadOptions options;
    };
    std::map<DocumentKey, ReadingAgain> reading_again_;

    void say_troubles(const std::vector<std::string>& troubles);
    void choose(int index, bool as_target);
    void load(const Choice& choice, bool as_target);
    void watch_library();
    template <typename Change>
    bool change_library(Change change);
    /// Keys, drafts and what is open follow files that were moved.
    void follow_moves(const std::vector<std::pair<std::string, std::string>>& moves);
    /// Tells of the first that has.
    bool has_unsaved(const std::vector<std::string>& documents);
    void follow_moves_while_reading(const std::vector<std::pair<std::string, std::string>>& moves);
    void open(Opened opened, bool as_target);
    /// What a session that ended left of a document.
    std::optional<Json> left_of(const DocumentKey& key) const;
    /// A draft is made of it; what was left unsaved is back.
    Opened opened_of(const Choice& choice, bool as_target, const ReadChoice& read,
                     const std::optional<Json>& unsaved);
    void bring_scene_back(const DocumentKey& key);
    void cast_scene(const DocumentKey& key, const SceneDocument& document, size_t in_hand);
    void show_cast(size_t cast);
    /// Puts what is chosen on the stage; the result is solved anew.
    void show(bool as_target);
    DocumentKey pairing_key(const LoadedPtr& source, const LoadedPtr& target,
                            const std::string& target_path) const;
    /// Of a take's body and a target that is open.
    void open_pairing(const LoadedPtr& source, const DocumentKey& target);
    void bring_pairing_back(const DocumentKey& key, const LoadedPtr& source);
    const Library* library() const { return catalogue_.library(); }
    Library library_now() const { return library() ? *library() : Library(); }
    /// A change of a body: draft, recovery, stage. `edit` gets a copy; false leaves all as it was.
    template <typename Edit>
    bool change(const DocumentKey& key, Edit edit, bool is_kept = true);
    enum class After { body, rest, settings };
    void changed_on_stage(const DocumentKey& key, After after);
    void changed_draft(const DocumentKey& key);
    void read_again(const DocumentKey& key, const LoadOptions& options);
    void read_clean_again();
    void become(const DocumentKey& key, const Choice& added, bool is_character);
    void take_pairings_along(const Character& character, const std::string& from, const std::string& to);
    void follow_name(const std::string& document, const std::string& text, const std::string& name);
    bool save_all(const std::vector<DocumentKey>& keys, bool over_others);
    void keep_certificate(const Opened& target, const Review& review);
    /// The solver gets the pair and its settings as they are now.
    void follow();
    void solve();
};

}  // namespace nb
