#include "app/window/finder.hpp"

#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace nb {

namespace {

/// How well a typed text fits a name: words in any order; -1 not at all.
int fit(const Findable& entry, const QStringList& words) {
    int score = 0;
    const QString name = entry.name.toLower();
    const QString all = name + " " + entry.kind + " " + entry.detail.toLower();
    for (const QString& word : words) {
        if (!all.contains(word)) return -1;
        score += name.startsWith(word) ? 4 : name.contains(" " + word) ? 3 : name.contains(word) ? 2 : 1;
    }
    return score;
}

}  // namespace

Finder::Finder(std::vector<Findable> all, QWidget* parent)
    : QDialog(parent, Qt::Popup), all_(std::move(all)) {
    setObjectName("raised");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 8, 8, 8);
    field_ = new QLineEdit(this);
    field_->setPlaceholderText(tr("a command, bone, role, character, take or scene"));
    field_->setAccessibleName(tr("find"));
    list_ = new QListWidget(this);
    list_->setFocusPolicy(Qt::NoFocus);
    column->addWidget(field_);
    column->addWidget(list_);
    resize(460, 340);
    field_->installEventFilter(this);
    connect(field_, &QLineEdit::textChanged, this, &Finder::search);
    connect(list_, &QListWidget::itemClicked, this, &Finder::take_current);
    search({});
    field_->setFocus();
}

void Finder::search(const QString& text) {
    const QStringList words = text.toLower().split(' ', Qt::SkipEmptyParts);
    std::vector<std::pair<int, size_t>> found;
    for (size_t i = 0; i < all_.size(); ++i)
        if (const int score = fit(all_[i], words); score >= 0) found.emplace_back(-score, i);
    std::stable_sort(found.begin(), found.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    list_->clear();
    for (size_t k = 0; k < std::min<size_t>(found.size(), 60); ++k) {
        const Findable& entry = all_[found[k].second];
        auto* item = new QListWidgetItem(
            entry.name + "    " + entry.kind + (entry.detail.isEmpty() ? "" : " · " + entry.detail), list_);
        item->setData(Qt::UserRole, qulonglong(found[k].second));
    }
    if (found.empty()) list_->addItem(tr("nothing is called that"));
    list_->setCurrentRow(0);
}

void Finder::take_current() {
    const QListWidgetItem* item = list_->currentItem();
    if (!item || !item->data(Qt::UserRole).isValid()) return;
    const auto go = all_[size_t(item->data(Qt::UserRole).toULongLong())].go;
    accept();
    go();
}

bool Finder::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            list_->setCurrentRow(
                std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, list_->count() - 1));
            return true;
        }
        if (key == Qt::Key_Return || key == Qt::Key_Enter) {
            take_current();
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

}  // namespace nb
