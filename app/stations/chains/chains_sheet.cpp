#include "app/stations/chains/chains_sheet.hpp"

#include <QHBoxLayout>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/look/labels.hpp"

namespace nb {

ChainsSheet::ChainsSheet(Workspace& workspace, ChainEdits& edits, QWidget* parent)
    : QWidget(parent),
      ruler_(new ChainRuler(this)),
      map_(new MapPage(workspace, edits, this)),
      pages_(new QStackedWidget(this)) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(12, 4, 12, 4);
    head->setSpacing(4);
    const auto page = [&](const QString& name, const QString& tip, bool is_map) {
        auto* button = word_button(name, tip, this, true);
        connect(button, &QToolButton::clicked, this, [this, is_map] { show_map(is_map); });
        head->addWidget(button);
        return button;
    };
    ruler_button_ = page(tr("ruler"), tr("Chains as bars to one scale"), false);
    map_button_ = page(tr("map"), tr("Every bone: what moves it, how, why"), true);
    head->addStretch();
    rows->addLayout(head);
    pages_->addWidget(ruler_);
    pages_->addWidget(map_);
    rows->addWidget(pages_, 1);
    show_map(false);
}

void ChainsSheet::show_map(bool on) {
    pages_->setCurrentWidget(on ? static_cast<QWidget*>(map_) : ruler_);
    ruler_button_->setChecked(!on);
    map_button_->setChecked(on);
    emit page_shown(on);
}

bool ChainsSheet::has_map() const {
    return map_button_->isChecked();
}

}  // namespace nb
