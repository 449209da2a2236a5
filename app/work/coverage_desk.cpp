#include "app/work/coverage_desk.hpp"

#include <QCoreApplication>
#include <QDate>
#include <QDir>
#include <QFileInfo>
#include <QProcess>
#include <QThread>
#include <QUndoStack>
#include <algorithm>

#include "app/work/value_change.hpp"
#include "core/base/files.hpp"

namespace nb {

namespace {

constexpr int looks_every_ms = 1500;

/// The command line program: beside this one, or where the environment says.
QString nbone_place() {
    QString given = qEnvironmentVariable("NBONE");
    if (!given.isEmpty()) return given;
    const QDir own(QCoreApplication::applicationDirPath());
    for (const char* place : {"nbone", "../nbone"})
        if (QFileInfo(own.filePath(place)).isExecutable()) return own.absoluteFilePath(place);
    return {};
}

}  // namespace

CoverageDesk::CoverageDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : LibraryDesk(workspace, undo, parent) {
    again_.setInterval(looks_every_ms);
    connect(&again_, &QTimer::timeout, this, [this] {
        look_at_batches();
        look();
    });
    connect(&jobs_, &Jobs::failed, this, &CoverageDesk::failed);
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        if (is_another_library()) forget();
        is_stale_ = true;
        if (is_shown_) look();
    });
}

CoverageDesk::~CoverageDesk() {
    nb::cancel(reading_);
    nb::cancel(asking_);
    jobs_.wait();
}

void CoverageDesk::forget() {
    nb::cancel(reading_);
    desk_ = std::make_shared<Desk>();
    table_ = std::make_shared<Coverage>();
    accepted_.clear();
    batches_.clear();
    batches_text_.clear();
    is_reading_ = false;
    emit table_changed();
    emit batches_changed();
}

void CoverageDesk::set_shown(bool on) {
    is_shown_ = on;
    if (!on) return again_.stop();
    again_.start();
    is_stale_ = true;
    look_at_batches();
    look();
}

/// Reads library and ledger in the background; nothing is told when nothing has changed.
void CoverageDesk::look() {
    if (is_reading_ || !workspace_.has_library()) return;
    is_reading_ = true;
    reading_ = not_cancelled();
    struct Seen {
        bool has_changed = false;
        std::shared_ptr<const Coverage> table;
        std::vector<std::pair<OrderedPair, Accepted>> accepted;
        std::vector<KeptOrder> orders;
    };
    const std::string folder = workspace_.library_folder().toStdString();
    jobs_.run(
        tr("Reading the coverage"), reading_,
        [desk = desk_, folder, is_stale = std::exchange(is_stale_, false)](const auto&) {
            const std::lock_guard lock(desk->lock);
            Seen seen;
            if (!desk->ledger) desk->ledger = std::make_unique<Ledger>(folder);
            seen.has_changed = desk->ledger->look() || is_stale;
            if (!seen.has_changed) return seen;
            desk->library = nb::open_library(folder);
            auto table = std::make_shared<Coverage>(coverage_of(desk->library, *desk->ledger));
            for (CoverageSide& take : table->takes)
                if (take.shown == take.name) take.shown = Catalogue::shown_name(take.name).toStdString();
            seen.table = std::move(table);
            for (const auto& [key, accepted] : desk->ledger->accepted())
                seen.accepted.emplace_back(accepted.pair, accepted);
            std::vector<std::string> troubles;
            seen.orders = orders_of(desk->library, troubles);
            desk->ledger->keep_summary();
            return seen;
        },
        [this](Seen seen) {
            is_reading_ = false;
            if (seen.has_changed) {
                table_ = seen.table;
                accepted_ = std::move(seen.accepted);
                orders_ = std::move(seen.orders);
                asked_words_.clear();
                emit table_changed();
            }
            // What changed meanwhile.
            if (is_stale_ && is_shown_) look();
        },
        [this] { is_reading_ = false; });
}

void CoverageDesk::look_at_batches() {
    if (!workspace_.has_library()) return;
    std::vector<BatchState> now = batches_of(workspace_.library_folder().toStdString());
    std::string text;
    for (const BatchState& batch : now)
        text += batch.path + std::string(batch_state_name(batch.is)) + std::to_string(batch.progress.done) +
                "/" + std::to_string(batch.progress.of) + batch.progress.name + "\n";
    if (text == batches_text_) return;
    batches_text_ = text;
    batches_ = std::move(now);
    emit batches_changed();
}

OrderedPair CoverageDesk::pair_at(const Coverage& table, size_t take, size_t character) {
    return {table.takes[take].name, table.characters[character].name};
}

QString CoverageDesk::words(size_t take, size_t character) {
    const CoverageCell& cell = table_->at(take, character);
    if (asked_ == std::pair{take, character} && !asked_words_.isEmpty()) return asked_words_;
    if (cell.state == CoverageCell::State::carried && !cell.is_stale) {
        QString text = QString::fromStdString(table_->text_of(cell));
        if (!text.isEmpty()) return text;
    }
    nb::cancel(asking_);
    asking_ = not_cancelled();
    asked_ = {take, character};
    asked_words_.clear();
    jobs_.run(
        tr("Looking why"), asking_,
        [desk = desk_, table = table_, take, character](const auto&) {
            const std::lock_guard lock(desk->lock);
            if (!desk->ledger) return std::string();
            LibraryInputs inputs(desk->library, desk->ledger->hashes());
            return words_of_cell(*table, take, character, inputs, *desk->ledger);
        },
        [this](const std::string& words) {
            asked_words_ = QString::fromStdString(words);
            emit words_found();
        });
    return cell.is_stale ? tr("stale") : QString();
}

std::optional<Accepted> CoverageDesk::accepted_of(const OrderedPair& pair) const {
    for (const auto& [of, accepted] : accepted_)
        if (of == pair) return accepted;
    return {};
}

QString CoverageDesk::note(const OrderedPair& pair) const {
    const auto accepted = accepted_of(pair);
    return accepted ? QString::fromStdString(accepted->note) : QString();
}

void CoverageDesk::set_accepted(const OrderedPair& pair, const std::optional<Accepted>& accepted) {
    try {
        const Ledger ledger(workspace_.library_folder().toStdString());
        accepted ? ledger.accept(*accepted) : ledger.accept_no_more(pair);
    } catch (const std::exception& fault) {
        emit failed(tr("Not kept: %1").arg(QString::fromStdString(fault.what())));
    }
    is_stale_ = true;
    look();
}

void CoverageDesk::accept(size_t take, size_t character, const QString& note) {
    const OrderedPair pair = pair_at(*table_, take, character);
    std::string word;
    {
        const std::lock_guard lock(desk_->lock);
        if (!desk_->ledger) return;
        LibraryInputs inputs(desk_->library, desk_->ledger->hashes());
        word = inputs.word_of_pair(take, character);
    }
    const Accepted now{pair, word, note.toStdString(),
                       QDate::currentDate().toString(Qt::ISODate).toStdString()};
    undo_.push(new ValueChange<std::optional<Accepted>>(
        [this, pair](const std::optional<Accepted>& value) { set_accepted(pair, value); }, accepted_of(pair),
        now,
        tr("accept %1 on %2").arg(QString::fromStdString(pair.take), QString::fromStdString(pair.character)),
        -1));
}

void CoverageDesk::accept_no_more(size_t take, size_t character) {
    const OrderedPair pair = pair_at(*table_, take, character);
    const auto before = accepted_of(pair);
    if (!before) return;
    undo_.push(new ValueChange<std::optional<Accepted>>(
        [this, pair](const std::optional<Accepted>& value) { set_accepted(pair, value); }, before, {},
        tr("accept %1 no more").arg(QString::fromStdString(pair.take)), -1));
}

void CoverageDesk::start(const QStringList& arguments) {
    const QString nbone = nbone_place();
    if (nbone.isEmpty())
        return emit failed(
            tr("The program nbone is not beside this one: install it, or say where with NBONE."));
    const int unsaved = int(workspace_.unsaved().size());
    if (!QProcess::startDetached(
            nbone,
            arguments + QStringList{"--jobs", QString::number(std::max(1, QThread::idealThreadCount()))}))
        return emit failed(tr("%1 cannot be started.").arg(nbone));
    emit said(unsaved > 0
                  ? tr("Started. It goes by what is saved: %n change(s) are not in it.", nullptr, unsaved)
                  : tr("Started. It goes on when this window is closed."));
}

void CoverageDesk::try_all() {
    start({"batch", workspace_.library_folder()});
}

void CoverageDesk::try_pair(const OrderedPair& pair) {
    start({"batch", workspace_.library_folder(), "--take", QString::fromStdString(pair.take), "--character",
           QString::fromStdString(pair.character)});
}

void CoverageDesk::do_order(const QString& path) {
    start({"batch", path, "--library", workspace_.library_folder()});
}

void CoverageDesk::end_batch(const BatchState& batch) {
    if (!ask_to_end(batch))
        emit failed(batch.is_of_this_machine()
                        ? tr("It is not there any more.")
                        : tr("It runs on %1: end it there, or with the scheduler that started it.")
                              .arg(QString::fromStdString(batch.host)));
}

void CoverageDesk::write(const QString& path) {
    try {
        const std::string name = path.toStdString();
        if (path.endsWith(".csv"))
            write_file(name, coverage_csv(*table_));
        else if (path.endsWith(".json"))
            write_file(name, format_document(coverage_document(*table_, library())));
        else
            write_file(name, coverage_page(*table_, library().name));
        emit said(tr("Written: %1").arg(path));
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
    }
}

}  // namespace nb
