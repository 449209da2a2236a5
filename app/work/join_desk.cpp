#include "app/work/join_desk.hpp"

#include <QUndoStack>
#include <algorithm>

#include "app/work/shown_pair.hpp"
#include "app/work/value_change.hpp"
#include "core/base/uuid.hpp"

namespace nb {

namespace {

constexpr int join_after_ms = 200;

JoinPlan new_plan() {
    JoinPlan plan;
    plan.id = make_uuid();
    plan.name = "joined";
    return plan;
}

std::string text_of_plan(const JoinPlan& plan) {
    return format_document(join_document(plan));
}

/// A take that was made of a plan: out of the library, and in again.
class MakeTake : public QUndoCommand {
  public:
    MakeTake(Workspace& workspace, const Choice& made)
        : QUndoCommand(QObject::tr("make the take %1").arg(made.name)), workspace_(workspace), made_(made) {}
    void undo() override { setObsolete(!workspace_.lay_aside(made_, false, trashed_)); }
    void redo() override {
        // At first it is there already.
        if (!trashed_.moved.empty()) setObsolete(!workspace_.put_back(trashed_));
    }

  private:
    Workspace& workspace_;
    Choice made_;
    Trashed trashed_;
};

}  // namespace

JoinDesk::JoinDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : LibraryDesk(workspace, undo, parent), plan_(new_plan()) {
    join_soon_.setSingleShot(true);
    join_soon_.setInterval(join_after_ms);
    connect(&join_soon_, &QTimer::timeout, this, &JoinDesk::join);
    connect(&jobs_, &Jobs::failed, this, [this](const QString& line) {
        trouble_ = line;
        emit ready();
    });
    connect(&workspace_, &Workspace::choices_changed, this, &JoinDesk::look_at_library);
    // What is saved is what is joined.
    connect(&workspace_, &Workspace::unsaved_changed, this, [this] {
        carried_ = std::make_shared<CarriedTakes>();
        if (!plan_.clips.empty()) join_soon_.start();
    });
    look_at_library();
}

JoinDesk::~JoinDesk() {
    nb::cancel(joining_);
    jobs_.wait();
}

void JoinDesk::look_at_library() {
    kept_.clear();
    if (workspace_.has_library()) {
        std::vector<std::string> troubles;
        kept_ = joins_of(library(), troubles);
        tell(troubles);
        if (is_another_library()) {
            carried_ = std::make_shared<CarriedTakes>();
            joined_.reset();
            plan_ = new_plan();
        }
    }
    emit changed();
}

void JoinDesk::change(const QString& text, int topic, const std::function<void(JoinPlan&)>& edit) {
    JoinPlan after = plan_;
    edit(after);
    after.seams.resize(after.clips.empty() ? 0 : after.clips.size() - 1);
    if (text_of_plan(after) == text_of_plan(plan_)) return;
    undo_.push(new ValueChange<JoinPlan>([this](const JoinPlan& now) { set_plan(now); }, plan_,
                                         std::move(after), text, topic));
}

void JoinDesk::set_plan(const JoinPlan& plan) {
    plan_ = plan;
    trouble_.clear();
    emit changed();
    join_soon_.start();
}

void JoinDesk::add_shown() {
    const auto shown = shown_pair(workspace_);
    if (!shown) {
        emit failed(
            tr("A plan names takes and a character of the library: take them in first, then put them in a "
               "row."));
        return;
    }
    if (!plan_.clips.empty() && plan_.character != shown->character) {
        emit failed(tr("The row is on %1: clips of one body alone can be joined. Choose it as the target, or "
                       "take the clips out.")
                        .arg(QString::fromStdString(plan_.character)));
        return;
    }
    change(tr("put %1 in the row").arg(QString::fromStdString(shown->take)), -1, [&](JoinPlan& plan) {
        plan.character = shown->character;
        plan.clips.push_back({shown->take});
    });
}

void JoinDesk::take_out(int clip) {
    if (clip < 0 || clip >= int(plan_.clips.size())) return;
    change(tr("take a clip out"), -1, [clip](JoinPlan& plan) {
        plan.clips.erase(plan.clips.begin() + clip);
        if (!plan.seams.empty()) plan.seams.erase(plan.seams.begin() + std::max(0, clip - 1));
    });
}

void JoinDesk::move(int clip, int by) {
    const int to = clip + by;
    if (clip < 0 || to < 0 || std::max(clip, to) >= int(plan_.clips.size())) return;
    change(by < 0 ? tr("a clip earlier") : tr("a clip later"), -1,
           [clip, to](JoinPlan& plan) { std::swap(plan.clips[size_t(clip)], plan.clips[size_t(to)]); });
}

void JoinDesk::take_up(int at) {
    if (at < 0 || at >= int(kept_.size())) return;
    const JoinPlan kept = kept_[size_t(at)].plan;
    change(tr("take up the plan %1").arg(QString::fromStdString(kept.name)), -1,
           [&](JoinPlan& plan) { plan = kept; });
}

bool JoinDesk::is_as_kept() const {
    return std::any_of(kept_.begin(), kept_.end(),
                       [this](const KeptJoin& one) { return text_of_plan(one.plan) == text_of_plan(plan_); });
}

void JoinDesk::keep() {
    keep_text([this] { return join_place(library(), plan_.name); }, text_of_plan(plan_),
              tr("The plan %1 is kept with the library.").arg(QString::fromStdString(plan_.name)),
              tr("No library is open: a plan is kept with one."));
    look_at_library();
}

std::vector<std::pair<int, int>> JoinDesk::spans() const {
    std::vector<std::pair<int, int>> spans;
    if (!joined_) return spans;
    const std::vector<SeamReport>& seams = joined_->seams;
    for (size_t i = 0; i <= seams.size(); ++i)
        spans.emplace_back(i == 0 ? 0 : seams[i - 1].first, i == seams.size()
                                                                ? joined_->motion.motion.frames
                                                                : seams[i].first + seams[i].overlap);
    return spans;
}

int JoinDesk::frames_of(const std::string& take) const {
    if (is_joining() || carried_->character != plan_.character) return 0;
    const auto at = carried_->takes.find(take);
    return at == carried_->takes.end() ? 0 : at->second->motion.frames;
}

void JoinDesk::join() {
    nb::cancel(joining_);
    joining_.reset();
    if (plan_.clips.empty() || !workspace_.has_library()) {
        joined_.reset();
        emit ready();
        return;
    }
    joining_ = not_cancelled();
    // The work has takes of its own: one that was given up may still be busy with those before.
    auto takes = std::make_shared<CarriedTakes>(*carried_);
    const auto over = [this, flag = joining_] {
        if (joining_ == flag) joining_.reset();
    };
    jobs_.run(
        tr("Joining"), joining_,
        [plan = plan_, takes, folder = workspace_.library_folder().toStdString()](const auto&) {
            // The library is read for what is not carried yet alone.
            if (!takes->has_all(plan)) {
                LibraryFiles files(open_library(folder));
                carry_takes(plan, files, *takes);
            }
            return std::make_shared<const Joined>(join_carried(plan, *takes));
        },
        [this, takes, over](const std::shared_ptr<const Joined>& joined) {
            over();
            carried_ = takes;
            joined_ = joined;
            trouble_.clear();
            emit ready();
        },
        [this, over] {
            over();
            emit ready();
        });
}

void JoinDesk::make_take() {
    if (!joined_ || is_joining() || !trouble_.isEmpty()) return;
    jobs_.run(
        tr("Making the take"), not_cancelled(),
        [plan = plan_, joined = joined_, folder = workspace_.library_folder().toStdString()](const auto&) {
            LibraryFiles files(open_library(folder));
            return keep_joined(files.library(), plan, *joined, files);
        },
        [this](const LibraryEntry& entry) {
            workspace_.read_library_again();
            const auto& takes = workspace_.takes();
            const auto at = std::find_if(takes.begin(), takes.end(), [&](const Choice& one) {
                return one.path.toStdString() == entry.path;
            });
            if (at == takes.end()) return;
            undo_.push(new MakeTake(workspace_, *at));
            emit said(tr("%1 is a take of the library now; its notes name the parts.").arg(at->name));
            workspace_.choose_take(int(at - takes.begin()));
        });
}

}  // namespace nb
