#include "app/window/top_bar.hpp"

#include <QAction>
#include <QHBoxLayout>

#include "app/look/look.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/state_line.hpp"

namespace nb {

namespace {

struct TopButton {
    const char* command;
    const char* icon;
    const char* word;  ///< beside the icon; none: the icon alone
    const char* tip;
};

constexpr const char* unsaved_command = "unsaved";

const TopButton top_buttons[] = {
    {unsaved_command, "save", "",
     QT_TRANSLATE_NOOP("nb::TopBar",
                       "What is changed and not saved: see it, save one or all (Ctrl+S saves all)")},
    {"find", "search", QT_TRANSLATE_NOOP("nb::TopBar", "find anything"),
     QT_TRANSLATE_NOOP("nb::TopBar",
                       "A command, bone, role, character, take or page of the handbook (Ctrl+K)")},
    {"library", "library", QT_TRANSLATE_NOOP("nb::TopBar", "library"),
     QT_TRANSLATE_NOOP("nb::TopBar", "Characters and takes of the library (D)")},
    {"open take", "folder-open", nullptr,
     QT_TRANSLATE_NOOP("nb::TopBar", "Open a motion file (Ctrl+O); drop any file on the window")},
    {"export", "file-down", QT_TRANSLATE_NOOP("nb::TopBar", "export"),
     QT_TRANSLATE_NOOP("nb::TopBar", "Write the result as .bvh or .glb (Ctrl+E)")},
    {"undo", "undo-2", nullptr, nullptr},
    {"redo", "redo-2", nullptr, nullptr},
    {"look", "sun-moon", nullptr, QT_TRANSLATE_NOOP("nb::TopBar", "Ink or paper (Ctrl+I)")},
    {"handbook", "book-open", nullptr,
     QT_TRANSLATE_NOOP("nb::TopBar", "The handbook: what this station is for, its words, what to do (?)")},
};

}  // namespace

TopBar::TopBar(Workspace& workspace, const std::function<QAction*(const QString&)>& command, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("raised");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 6, 10, 5);
    auto* words = new QVBoxLayout;
    words->setSpacing(1);
    sentence_ = new SentenceBar(workspace, this);
    state_ = new StateLine(workspace, this);
    words->addWidget(sentence_);
    words->addWidget(state_);
    row->addLayout(words, 1);
    row->setSpacing(6);
    for (const TopButton& about : top_buttons) {
        auto* button = new QToolButton(this);
        button->setObjectName("bare");
        button->setFocusPolicy(Qt::TabFocus);
        QAction* action = command(about.command);
        if (!about.tip) {
            button->setDefaultAction(action);  // its text says what would be undone
        } else {
            button->setToolTip(tr(about.tip));
            button->setAccessibleName(action->text());
            connect(button, &QToolButton::clicked, action, &QAction::trigger);
        }
        button->setToolButtonStyle(about.word ? Qt::ToolButtonTextBesideIcon : Qt::ToolButtonIconOnly);
        if (about.word) button->setText(tr(about.word));
        row->addWidget(button);
        buttons_[about.command] = button;
    }
    for (const char* place : {"library", "handbook"}) buttons_.at(place)->setCheckable(true);
    connect(&workspace, &Workspace::unsaved_changed, this, &TopBar::refresh_unsaved);
    connect(&workspace, &Workspace::settings_changed, this, &TopBar::refresh_unsaved);
    connect(sentence_, &SentenceBar::changed, this, &TopBar::fit);
    refresh_unsaved();
}

/// The sentence comes first: where it is narrow, buttons lose their words before it is drawn smaller.
void TopBar::fit() {
    const QMargins margins = layout()->contentsMargins();
    const auto room = [&] {
        int left = width() - margins.left() - margins.right();
        for (const auto& [command, button] : buttons_)
            if (!button->isHidden()) left -= button->sizeHint().width() + layout()->spacing();
        return left;
    };
    for (const TopButton& about : top_buttons)
        if (about.word) buttons_.at(about.command)->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    for (const char* command : {"find", "library", "export", unsaved_command})
        if (room() < sentence_->whole_width())
            buttons_.at(command)->setToolButtonStyle(Qt::ToolButtonIconOnly);
    sentence_->fit(room());
}

void TopBar::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    fit();
}

void TopBar::refresh_icons() {
    for (const TopButton& about : top_buttons)
        if (about.tip)
            buttons_.at(about.command)->setIcon(icon(about.icon));
        else
            buttons_.at(about.command)->defaultAction()->setIcon(icon(about.icon));
    fit();
}

void TopBar::refresh_unsaved() {
    const int unsaved = int(workspace_.unsaved().size());
    const int left = int(workspace_.left_unsaved().size());
    QToolButton& button = *buttons_.at(unsaved_command);
    button.setVisible(unsaved + left > 0);
    button.setText(unsaved ? tr("%n not saved", nullptr, unsaved) : tr("left from last time"));
    fit();
}

}  // namespace nb
