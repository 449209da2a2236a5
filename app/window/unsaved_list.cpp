#include "app/window/unsaved_list.hpp"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

namespace nb {

namespace {

constexpr int most_shown = 9;

}  // namespace

UnsavedList::UnsavedList(Workspace& workspace, QWidget* parent)
    : QFrame(parent, Qt::Popup), workspace_(workspace) {
    setObjectName("raised");
    setFrameShape(QFrame::StyledPanel);
    setAccessibleName(tr("not saved"));
    rows_ = new QVBoxLayout(this);
    rows_->setContentsMargins(14, 12, 14, 12);
    rows_->setSpacing(10);
    setMinimumWidth(420);
    connect(&workspace_, &Workspace::unsaved_changed, this, &UnsavedList::refresh_later);
    refresh();
}

/// A row that was clicked is still at work when its list changes.
void UnsavedList::refresh_later() {
    if (std::exchange(is_stale_, true)) return;
    QTimer::singleShot(0, this, &UnsavedList::refresh);
}

QWidget* UnsavedList::row(const QString& name, const QString& what, const QString& where,
                          const QString& action, const std::function<void()>& act) {
    auto* widget = new QWidget(this);
    auto* row = new QHBoxLayout(widget);
    row->setContentsMargins(0, 0, 0, 0);
    auto* texts = new QVBoxLayout;
    texts->setSpacing(1);
    auto* title = new QLabel(tr("<b>%1</b> · %2").arg(name.toHtmlEscaped(), what.toHtmlEscaped()), widget);
    texts->addWidget(title);
    auto* place = new QLabel(where, widget);
    place->setProperty("dim", true);
    place->setToolTip(where);
    texts->addWidget(place);
    row->addLayout(texts, 1);
    if (act) {
        auto* button = new QPushButton(action, widget);
        button->setAccessibleName(tr("%1 %2").arg(action, name));
        connect(button, &QPushButton::clicked, this, [act] { act(); });
        row->addWidget(button, 0, Qt::AlignTop);
    }
    return widget;
}

void UnsavedList::refresh() {
    is_stale_ = false;
    while (QLayoutItem* item = rows_->takeAt(0)) {
        if (QWidget* widget = item->widget()) {
            widget->hide();
            widget->deleteLater();
        }
        delete item;
    }
    const auto unsaved = workspace_.unsaved();
    const auto left = workspace_.left_unsaved();
    const auto place = [this](const QString& path) {
        const QString inside = QDir(workspace_.library_folder()).relativeFilePath(path);
        return workspace_.has_library() && !inside.startsWith("..") ? tr("library: %1").arg(inside)
                                                                    : QDir::toNativeSeparators(path);
    };
    if (unsaved.empty() && left.empty()) {
        rows_->addWidget(new QLabel(tr("All is saved."), this));
        adjustSize();
        return;
    }
    int shown = 0;
    for (const Drafts::Unsaved& one : unsaved) {
        if (++shown > most_shown) break;
        QStringList what;
        for (const std::string& part : one.what) what << QString::fromStdString(part);
        // A pairing's file is named by ids that say nothing to anybody.
        QString where = QString::fromStdString(one.document);
        if (one.key.kind == DocumentKey::Kind::pairing) where = QFileInfo(where).path();
        rows_->addWidget(row(QString::fromStdString(one.name), what.join(", "), place(where), tr("save"),
                             [this, key = one.key] { workspace_.save_one(key); }));
    }
    for (const auto& [key, name] : left) {
        if (++shown > most_shown) break;
        const bool is_pair = key.kind == DocumentKey::Kind::pairing;
        rows_->addWidget(row(
            name, tr("left from last time"),
            is_pair ? tr("comes back when this pair is chosen") : place(QString::fromStdString(key.path)),
            tr("open"),
            is_pair ? std::function<void()>() : [this, key = key] { workspace_.open_left(key); }));
    }
    if (const int more = int(unsaved.size() + left.size()) - most_shown; more > 0)
        rows_->addWidget(new QLabel(tr("and %n more", nullptr, more), this));
    if (!unsaved.empty()) {
        auto* all = new QPushButton(tr("save all"), this);
        all->setAccessibleName(tr("save all"));
        all->setDefault(true);
        connect(all, &QPushButton::clicked, this, [this] {
            workspace_.save();
            if (!workspace_.has_unsaved_changes()) close();
        });
        rows_->addWidget(all, 0, Qt::AlignRight);
        all->setFocus();
    }
    adjustSize();
}

}  // namespace nb
