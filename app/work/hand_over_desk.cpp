#include "app/work/hand_over_desk.hpp"

#include <QSettings>
#include <QUndoStack>
#include <algorithm>

#include "app/work/shown_pair.hpp"
#include "app/work/value_change.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"

namespace nb {

namespace {

constexpr int plan_after_ms = 150;
constexpr const char* draft_key = "hand over/draft";

HandOverOrder new_order() {
    HandOverOrder order;
    order.id = make_uuid();
    order.name = "order";
    return order;
}

std::string text_of_order(const HandOverOrder& order) {
    return format_document(order_document(order));
}

}  // namespace

HandOverDesk::HandOverDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : LibraryDesk(workspace, undo, parent), order_(new_order()) {
    plan_soon_.setSingleShot(true);
    plan_soon_.setInterval(plan_after_ms);
    connect(&plan_soon_, &QTimer::timeout, this, &HandOverDesk::plan);
    connect(&jobs_, &Jobs::failed, this, &HandOverDesk::failed);
    connect(&workspace_, &Workspace::choices_changed, this, &HandOverDesk::look_at_library);
    // What is saved is what is handed over.
    connect(&workspace_, &Workspace::unsaved_changed, this, [this] {
        files_.reset();
        plan_soon_.start();
    });
    look_at_library();
}

HandOverDesk::~HandOverDesk() {
    nb::cancel(planning_);
    nb::cancel(running_);
    jobs_.wait();
}

void HandOverDesk::look_at_library() {
    files_.reset();
    kept_.clear();
    if (workspace_.has_library()) {
        std::vector<std::string> troubles;
        kept_ = orders_of(library(), troubles);
        tell(troubles);
        // Of another library: what was in hand there, else its first.
        if (is_another_library()) {
            outcome_ = {};
            report_page_.clear();
            if (!take_draft()) order_ = kept_.empty() ? new_order() : kept_.front().order;
        }
    }
    emit changed();
    plan_soon_.start();
}

void HandOverDesk::keep_draft() const {
    QSettings().setValue(
        draft_key, QStringList{workspace_.library_folder(), QString::fromStdString(text_of_order(order_))});
}

/// What was in hand of this library's orders when it was last open; false when nothing was.
bool HandOverDesk::take_draft() {
    const QStringList draft = QSettings().value(draft_key).toStringList();
    if (draft.size() != 2 || draft[0] != workspace_.library_folder()) return false;
    try {
        const std::string where = "the order in hand";
        order_ = read_order(parse_document(draft[1].toStdString(), where, "order"), where);
        return true;
    } catch (const std::exception&) {  // Of another version: a new one is begun.
        return false;
    }
}

void HandOverDesk::change(const QString& text, int topic, const std::function<void(HandOverOrder&)>& edit) {
    HandOverOrder after = order_;
    edit(after);
    if (text_of_order(after) == text_of_order(order_)) return;
    undo_.push(new ValueChange<HandOverOrder>([this](const HandOverOrder& now) { set_order(now); }, order_,
                                              std::move(after), text, topic));
}

void HandOverDesk::set_order(const HandOverOrder& order) {
    order_ = order;
    keep_draft();
    emit changed();
    plan_soon_.start();
}

void HandOverDesk::add_pairs(const std::vector<OrderedPair>& pairs) {
    change(tr("add to the order"), -1, [&](HandOverOrder& order) {
        for (const OrderedPair& pair : pairs)
            if (std::find(order.pairs.begin(), order.pairs.end(), pair) == order.pairs.end())
                order.pairs.push_back(pair);
    });
}

void HandOverDesk::remove_pairs(const std::vector<OrderedPair>& pairs) {
    change(tr("take out of the order"), -1, [&](HandOverOrder& order) {
        std::erase_if(order.pairs, [&](const OrderedPair& pair) {
            return std::find(pairs.begin(), pairs.end(), pair) != pairs.end();
        });
    });
}

void HandOverDesk::add_many(Many many) {
    const auto shown = shown_pair(workspace_);
    std::vector<OrderedPair> pairs;
    for (const Choice& take : workspace_.takes()) {
        if (!take.is_of_library) continue;
        const std::string of = name_in_library(take, false);
        if (many == Many::characters && (!shown || of != shown->take)) continue;
        for (const Choice& target : workspace_.targets()) {
            if (!target.is_of_library) continue;
            const std::string on = name_in_library(target, true);
            if (many == Many::takes && (!shown || on != shown->character)) continue;
            pairs.push_back({of, on});
        }
    }
    if (pairs.empty())
        emit failed(tr("The library has none of what is on the stage: take it into the library first."));
    else
        add_pairs(pairs);
}

void HandOverDesk::take_up(int at) {
    if (at < 0 || at >= int(kept_.size())) return;
    const HandOverOrder kept = kept_[size_t(at)].order;
    change(tr("take up the order %1").arg(QString::fromStdString(kept.name)), -1,
           [&](HandOverOrder& order) { order = kept; });
}

bool HandOverDesk::is_as_kept() const {
    return std::any_of(kept_.begin(), kept_.end(), [this](const KeptOrder& one) {
        return one.order.name == order_.name && text_of_order(one.order) == text_of_order(order_);
    });
}

void HandOverDesk::keep() {
    keep_text([this] { return order_place(library(), order_.name); }, text_of_order(order_),
              tr("The order %1 is kept with the library.").arg(QString::fromStdString(order_.name)),
              tr("No library is open: an order is kept with one."));
    look_at_library();
}

int HandOverDesk::to_write() const {
    return int(std::count_if(rows_.begin(), rows_.end(), [this](const HandOverRow& row) {
        return row.is_written(order_.clash) && !row.is_added;
    }));
}

QString HandOverDesk::folder() const {
    return QString::fromStdString(order_folder(order_, library()));
}

std::string HandOverDesk::report_path() const {
    return report_place(order_, library());
}

void HandOverDesk::plan() {
    if (!workspace_.has_library() || is_running()) return;
    nb::cancel(planning_);
    planning_ = not_cancelled();
    is_planning_ = true;
    struct Planned {
        std::vector<HandOverRow> rows;
        std::vector<StaleRow> stale;
        std::shared_ptr<LibraryFiles> files;
    };
    jobs_.run(
        tr("Listing the files of the order"), planning_,
        [order = order_, files = files_, lock = files_lock_,
         folder = workspace_.library_folder().toStdString(), report = report_path()](const auto&) {
            const std::lock_guard<std::mutex> guard(*lock);
            Planned planned;
            planned.files = files ? files : std::make_shared<LibraryFiles>(open_library(folder));
            planned.rows = plan_hand_over(order, *planned.files);
            std::error_code error;
            if (std::filesystem::exists(report, error))
                planned.stale = stale_rows(read_document(report, "hand-over-report"), report);
            return planned;
        },
        [this](Planned planned) {
            is_planning_ = false;
            rows_ = std::move(planned.rows);
            stale_ = std::move(planned.stale);
            files_ = std::move(planned.files);
            emit this->planned();
        },
        [this] { is_planning_ = false; });
}

const Json* HandOverDesk::outcome(const HandOverRow& row) const {
    if (!outcome_.contains("files")) return nullptr;
    for (const Json& file : outcome_["files"])
        if (file["name"] == row.name && file["take"] == row.pair.take) return &file;
    return nullptr;
}

void HandOverDesk::hand_over() {
    if (is_running() || order_.pairs.empty() || !workspace_.has_library()) return;
    if (workspace_.has_unsaved_changes()) {
        emit failed(tr("What is not saved would not be in the files: save first (Ctrl+S)."));
        return;
    }
    nb::cancel(planning_);
    running_ = not_cancelled();
    emit progressed(0, int(rows_.size()), {});
    jobs_.run(
        tr("Handing over"), running_,
        [this, order = order_, now = files_, lock = files_lock_, flag = running_,
         folder = workspace_.library_folder().toStdString()](const auto&) {
            const std::lock_guard<std::mutex> guard(*lock);
            const auto files = now ? now : std::make_shared<LibraryFiles>(open_library(folder));
            return run_hand_over(order, *files, 0, [this, flag](int done, int of, const std::string& name) {
                if (done >= 0)
                    QMetaObject::invokeMethod(this, [this, done, of, name] {
                        emit progressed(done, of, QString::fromStdString(name));
                    });
                return !*flag;
            });
        },
        [this](const HandOverReport& report) {
            running_.reset();
            outcome_ = report.document;
            report_page_ = QString::fromStdString(report.page_path);
            emit progressed(0, 0, {});
            const QString all = tr("%1 written, %2 skipped, %3 failed; each read back and compared.")
                                    .arg(report.written)
                                    .arg(report.skipped)
                                    .arg(report.failed);
            if (report.failed > 0)
                emit failed(all);
            else
                emit said(all);
            plan();
        },
        [this] {
            running_.reset();
            emit progressed(0, 0, {});
            emit said(tr("Stopped: what was written stays, nothing is half written."));
            plan();
        });
}

void HandOverDesk::cancel() {
    nb::cancel(running_);
}

}  // namespace nb
