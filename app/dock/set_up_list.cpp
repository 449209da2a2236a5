#include "app/dock/set_up_list.hpp"

#include "app/dock/two_lines.hpp"
#include "app/look/labels.hpp"

namespace nb {

SetUpList::SetUpList(Workspace& workspace, QWidget* parent) : QListWidget(parent), workspace_(workspace) {
    setAccessibleName(tr("set-ups"));
    setToolTip(tr("A click opens it: its target, and a take of its source"));
    setItemDelegate(new TwoLines(this));
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    const auto open = [this](const QListWidgetItem* item) {
        const int at = item->data(Qt::UserRole).toInt();
        if (at < 0 || at >= int(all_.size())) return;
        const SetUp& of = all_[size_t(at)];
        const auto place = [](const std::vector<Choice>& list, const std::string& entry) {
            for (size_t i = 0; i < list.size(); ++i)
                if (!entry.empty() && list[i].entry.toStdString() == entry) return int(i);
            return -1;
        };
        workspace_.choose_target(place(workspace_.targets(), of.target_entry));
        workspace_.choose_take(place(workspace_.takes(), of.take_entry));
    };
    connect(this, &QListWidget::itemClicked, this, open);
    connect(this, &QListWidget::itemActivated, this, open);
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        if (isVisible()) read();
    });
}

SetUpList::~SetUpList() {
    nb::cancel(reading_);
    jobs_.wait();
}

void SetUpList::showEvent(QShowEvent* event) {
    QListWidget::showEvent(event);
    read();
}

void SetUpList::set_filter(const QString& text) {
    filter_ = text.toLower();
    refresh();
}

void SetUpList::read() {
    nb::cancel(reading_);
    reading_ = not_cancelled();
    if (!workspace_.has_library()) {
        all_.clear();
        return refresh();
    }
    jobs_.run(
        tr("Reading set-ups"), reading_,
        [folder = workspace_.library_folder().toStdString()](const auto&) {
            std::vector<std::string> troubles;  // told when the pair is opened
            return set_ups_of(open_library(folder), troubles);
        },
        [this](std::vector<SetUp> read) {
            all_ = std::move(read);
            refresh();
        });
}

void SetUpList::refresh() {
    clear();
    for (size_t i = 0; i < all_.size(); ++i) {
        const SetUp& of = all_[i];
        const QString name = tr("%1 drives %2").arg(text_of(of.source), text_of(of.target));
        if (!name.toLower().contains(filter_)) continue;
        QStringList what;
        for (const std::string& word : of.what) what << text_of(word);
        if (what.isEmpty()) what << tr("as usual");
        auto* item = new QListWidgetItem(name + "\n" + what.join(QString::fromUtf8(" · ")), this);
        item->setData(Qt::UserRole, int(i));
    }
    if (count() == 0) {
        auto* none = new QListWidgetItem(tr("no set-up is saved yet"), this);
        none->setData(Qt::UserRole, -1);
        none->setFlags(Qt::NoItemFlags);
    }
}

}  // namespace nb
