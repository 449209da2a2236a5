#include "app/dock/open_list.hpp"

#include <algorithm>

#include "app/dock/two_lines.hpp"

namespace nb {

namespace {
constexpr int most_rows = 4;
}

OpenList::OpenList(Workspace& workspace, QWidget* parent) : QListWidget(parent), workspace_(workspace) {
    setAccessibleName(tr("open now"));
    setToolTip(tr("A click puts it on the stage"));
    setItemDelegate(new TwoLines(this));
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
    const auto choose = [this](QListWidgetItem* item) {
        workspace_.open_again(keys_[size_t(item->data(Qt::UserRole).toInt())]);
    };
    connect(this, &QListWidget::itemClicked, this, choose);
    connect(this, &QListWidget::itemActivated, this, choose);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed,
                              &Workspace::unsaved_changed, &Workspace::choices_changed})
        connect(&workspace_, signal, this, &OpenList::refresh);
    refresh();
}

QSize OpenList::sizeHint() const {
    return {280, height_of(std::clamp(count(), 1, most_rows))};
}

int OpenList::height_of(int rows) const {
    return rows * TwoLines::height(fontMetrics()) + 4;
}

void OpenList::refresh() {
    const QSignalBlocker blocker(this);
    clear();
    keys_.clear();
    for (const OpenState& open : workspace_.open_now()) {
        QStringList about;
        about << tr("%1 roles").arg(open.roles);
        if (!open.rest.isEmpty()) about << tr("rest %1").arg(open.rest);
        if (!open.unsaved.isEmpty()) about << tr("not saved: %1").arg(open.unsaved.join(", "));
        QString name = open.name;
        if (open.is_on_stage)
            name += open.key.kind == DocumentKey::Kind::take ? tr(" · the take") : tr(" · the target");
        auto* item = new QListWidgetItem(name + "\n" + about.join(QString::fromUtf8(" · ")), this);
        item->setData(Qt::UserRole, int(keys_.size()));
        item->setToolTip(QString::fromStdString(open.key.path));
        keys_.push_back(open.key);
    }
    updateGeometry();
}

}  // namespace nb
