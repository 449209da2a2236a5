#include "app/work/take_facts.hpp"

#include <QFileInfo>
#include <algorithm>

#include "core/base/files.hpp"
#include "core/base/json_fields.hpp"

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
        if (const auto tags = document.find("tags"); tags != document.end() && tags->is_array())
            for (const Json& tag : *tags)
                if (tag.is_string()) facts.tags << QString::fromStdString(tag.get<std::string>());
    } catch (const std::exception&) {
    }
    return facts;
}

}  // namespace

bool ItemFacts::has(const QString& name, const QString& search) const {
    const QStringList words = search.split(' ', Qt::SkipEmptyParts);
    return std::all_of(words.begin(), words.end(), [&](const QString& word) {
        return name.contains(word, Qt::CaseInsensitive) || body.contains(word, Qt::CaseInsensitive) ||
               notes.contains(word, Qt::CaseInsensitive) ||
               std::any_of(tags.begin(), tags.end(),
                           [&](const QString& tag) { return tag.contains(word, Qt::CaseInsensitive); });
    });
}

TakeFacts::TakeFacts(QObject* parent) : QObject(parent) {}

TakeFacts::~TakeFacts() {
    nb::cancel(reading_);
    jobs_.wait();
}

const ItemFacts& TakeFacts::of(const Choice& choice) const {
    static const ItemFacts none;
    const auto found = facts_.constFind(choice.document);
    return found == facts_.constEnd() ? none : *found;
}

void TakeFacts::follow(const std::vector<Choice>& choices) {
    nb::cancel(reading_);
    reading_ = not_cancelled();
    QStringList documents;
    for (const Choice& choice : choices)
        if (choice.document.endsWith(".json")) documents << choice.document;
    jobs_.run(
        tr("Reading what is said of takes"), reading_,
        [documents, known = facts_](const auto&) {
            QHash<QString, ItemFacts> facts;
            bool has_changed = false;
            for (const QString& document : documents) {
                const std::string path = document.toStdString();
                const auto before = known.constFind(document);
                if (before != known.constEnd() && before->stamp == stamp_of(path)) {
                    facts[document] = *before;
                    continue;
                }
                facts[document] = facts_of(path);
                has_changed = true;
            }
            return std::pair{std::move(facts), has_changed || documents.size() != known.size()};
        },
        [this](std::pair<QHash<QString, ItemFacts>, bool> read) {
            if (!read.second) return;
            facts_ = std::move(read.first);
            emit changed();
        });
}

}  // namespace nb
