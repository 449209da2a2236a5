#include "app/dock/takes_model.hpp"

#include <QFileInfo>
#include <QMimeData>
#include <QUrl>
#include <algorithm>

namespace nb {

TakesModel::TakesModel(Workspace& workspace, QObject* parent)
    : QAbstractListModel(parent), workspace_(workspace) {
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        facts_.follow(workspace_.takes(), workspace_.library_folder());
        refresh();
    });
    connect(&facts_, &TakeFacts::changed, this, [this] {
        if (is_asked_) return refresh();
        if (!rows_.empty()) emit dataChanged(index(0), index(int(rows_.size()) - 1));
    });
    refresh();
}

void TakesModel::set_search(const QString& text) {
    query_ = TakeQuery(text.toStdString());
    is_asked_ = !text.trimmed().isEmpty();
    facts_.ask(query_, workspace_.takes(), workspace_.library_folder());
    refresh();
}

void TakesModel::refresh() {
    beginResetModel();
    rows_.clear();
    const auto& takes = workspace_.takes();
    for (size_t i = 0; i < takes.size(); ++i)
        if (!is_asked_ || facts_.fits(takes[i], query_)) rows_.push_back(int(i));
    endResetModel();
}

int TakesModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : int(rows_.size());
}

int TakesModel::take_at(const QModelIndex& index) const {
    const int take = index.isValid() && index.row() < int(rows_.size()) ? rows_[size_t(index.row())] : -1;
    return take < int(workspace_.takes().size()) ? take : -1;
}

QModelIndex TakesModel::row_of(int take) const {
    const auto found = std::lower_bound(rows_.begin(), rows_.end(), take);
    return found == rows_.end() || *found != take ? QModelIndex() : index(int(found - rows_.begin()));
}

QVariant TakesModel::data(const QModelIndex& index, int role) const {
    const int at = take_at(index);
    if (at < 0) return {};
    const Choice& take = workspace_.takes()[size_t(at)];
    const ItemFacts& facts = facts_.of(take);
    if (role == Qt::ToolTipRole) {
        QStringList lines;
        if (!facts.notes.isEmpty()) lines << facts.notes;
        if (!facts.terms.isEmpty()) lines << tr("terms: %1").arg(facts.terms);
        if (!lines.isEmpty()) return lines.join("\n");
    }
    if (role != Qt::DisplayRole) return {};
    QStringList about;
    if (!facts.body.isEmpty()) about << tr("%1 · %2 s").arg(facts.body).arg(facts.seconds, 0, 'f', 1);
    if (const TakeAccount* account = facts_.account(take))
        for (const std::string& word : account->moves) about << QString::fromStdString(word);
    about << facts.tags;
    if (about.isEmpty()) about << QFileInfo(take.path).fileName();
    return QString(take.name + "\n" + about.join(QString::fromUtf8(" · ")));
}

Qt::ItemFlags TakesModel::flags(const QModelIndex& index) const {
    return QAbstractListModel::flags(index) | (index.isValid() ? Qt::ItemIsDragEnabled : Qt::NoItemFlags);
}

QMimeData* TakesModel::mimeData(const QModelIndexList& indexes) const {
    auto* mime = new QMimeData;
    QList<QUrl> urls;
    for (const QModelIndex& index : indexes)
        if (const int at = take_at(index); at >= 0)
            urls << QUrl::fromLocalFile(workspace_.takes()[size_t(at)].path);
    mime->setUrls(urls);
    return mime;
}

}  // namespace nb
