#include "app/work/take_facts.hpp"

#include <QFileInfo>
#include <QSet>
#include <algorithm>

#include "core/base/files.hpp"
#include "core/base/json_fields.hpp"
#include "core/base/memory.hpp"
#include "core/batch/ledger.hpp"

namespace nb {

namespace {

QString text_in(const Json& document, const char* key) {
    const auto found = document.find(key);
    return found != document.end() && found->is_string() ? QString::fromStdString(found->get<std::string>())
                                                         : QString();
}

/// What cannot be read says nothing here; it is told where it is opened.
ItemFacts facts_of(const std::string& document_path) {
    ItemFacts facts;
    facts.stamp = stamp_of(document_path);
    try {
        const Json document = Json::parse(read_file(document_path));
        if (const auto character = document.find("character"); character != document.end())
            facts.body = QFileInfo(QFileInfo(text_in(*character, "path")).path()).fileName();
        const double frame_s = text_in(document, "frame_time_s").toDouble();
        if (const auto frames = document.find("frames"); frames != document.end() && frames->is_number())
            facts.seconds = frames->get<double>() * frame_s;
        facts.notes = text_in(document, "notes");
        facts.terms = text_in(document, "terms");
        if (const auto tags = document.find("tags"); tags != document.end() && tags->is_array())
            for (const Json& tag : *tags)
                if (tag.is_string()) facts.tags << QString::fromStdString(tag.get<std::string>());
    } catch (const std::exception&) {
    }
    return facts;
}

}  // namespace

TakeFacts::TakeFacts(QObject* parent) : QObject(parent) {
    connect(&jobs_, &Jobs::progressed, this, &TakeFacts::progressed);
}

TakeFacts::~TakeFacts() {
    nb::cancel(reading_);
    jobs_.wait();
}

const ItemFacts& TakeFacts::of(const Choice& choice) const {
    static const ItemFacts none;
    const auto found = known_.facts.constFind(choice.document);
    return found == known_.facts.constEnd() ? none : *found;
}

const TakeAccount* TakeFacts::account(const Choice& choice) const {
    const auto found = known_.accounts.constFind(choice.entry);
    return choice.entry.isEmpty() || found == known_.accounts.constEnd() ? nullptr : &*found;
}

bool TakeFacts::fits(const Choice& choice, const TakeQuery& query) const {
    const ItemFacts& facts = of(choice);
    TakeKnown known;
    known.words =
        (choice.name + " " + facts.body + " " + facts.notes + " " + facts.terms + " " + facts.tags.join(' '))
            .toStdString();
    known.body = facts.body.toStdString();
    known.seconds = facts.seconds;
    known.account = account(choice);
    if (const auto trials = known_.trials.constFind(choice.entry); trials != known_.trials.constEnd()) {
        known.tried = trials->tried;
        known.outside = trials->outside;
    }
    return query.fits(known);
}

void TakeFacts::ask(const TakeQuery& query, const std::vector<Choice>& choices,
                    const QString& library_folder) {
    const bool asks_more = (query.asks_account() && !wants_accounts_) || query.asks_ledger();
    wants_accounts_ |= query.asks_account();
    wants_trials_ = query.asks_ledger();
    if (asks_more) read(choices, library_folder);
}

void TakeFacts::follow(const std::vector<Choice>& choices, const QString& library_folder) {
    read(choices, library_folder);
}

void TakeFacts::read(const std::vector<Choice>& choices, const QString& library_folder) {
    struct Asked {
        QString document, path, entry;  // the entry of those of the library
    };
    std::vector<Asked> all;
    all.reserve(choices.size());
    for (const Choice& choice : choices)
        all.push_back({choice.document, choice.path, choice.is_of_library ? choice.entry : QString()});
    nb::cancel(reading_);
    reading_ = not_cancelled();
    jobs_.run(
        wants_accounts_ ? tr("Looking into takes") : tr("Reading what is said of takes"), reading_,
        [asked = std::move(all), folder = library_folder.toStdString(), wants_accounts = wants_accounts_,
         wants_trials = wants_trials_, known = known_](const auto& tell) {
            Known now;
            bool has_changed = wants_accounts || wants_trials;
            Library library;  // as far as accounts go by it
            library.folder = folder;
            int done = 0;
            QSet<QString> texts;
            now.facts.reserve(qsizetype(asked.size()));
            for (const Asked& choice : asked) {
                if (wants_accounts && !tell(done++, int(asked.size()))) break;
                if (wants_accounts && !choice.entry.isEmpty())
                    now.accounts[choice.entry] =
                        account_in(library, {choice.entry.toStdString(), choice.path.toStdString(),
                                             choice.document.toStdString()});
                if (!choice.document.endsWith(".json")) continue;
                const std::string path = choice.document.toStdString();
                const auto before = known.facts.constFind(choice.document);
                if (before != known.facts.constEnd() && before->stamp == stamp_of(path)) {
                    now.facts[choice.document] = *before;
                    continue;
                }
                ItemFacts facts = facts_of(path);
                // Few bodies have many takes, and many takes one note: one text for all of them.
                facts.body = *texts.insert(facts.body);
                facts.notes = *texts.insert(facts.notes);
                facts.terms = *texts.insert(facts.terms);
                now.facts[choice.document] = facts;
                has_changed = true;
            }
            if (wants_trials && !folder.empty()) {
                Ledger ledger(folder);
                ledger.look();
                for (const auto& [key, brief] : ledger.briefs()) {
                    Trials& trials = now.trials[QString::fromStdString(brief.take)];
                    trials.tried.push_back(brief.character);
                    if (brief.is_failed || brief.share > 1.0) trials.outside.push_back(brief.character);
                }
            }
            has_changed |= now.facts.size() != known.facts.size();
            if (has_changed) give_back_memory();
            return std::pair{std::move(now), has_changed};
        },
        [this](std::pair<Known, bool> read) {
            if (!read.second) return;
            known_ = std::move(read.first);
            emit changed();
        });
}

}  // namespace nb
