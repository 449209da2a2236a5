#include "app/window/sentence_bar.hpp"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <algorithm>
#include <tuple>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "core/body/measures.hpp"

namespace nb {

namespace {

constexpr int largest_px = 16;
constexpr int least_px = 12;
constexpr int beside_word_px = 4;  // of a word that is a button, on both sides together

QPushButton* word(QWidget* parent, const QString& name, const QString& tip) {
    auto* button = new QPushButton(parent);
    button->setObjectName("word");
    button->setAccessibleName(name);
    button->setToolTip(tip);
    button->setCursor(Qt::PointingHandCursor);
    return button;
}

void dress(QPushButton* button, const QColor& colour, int px) {
    button->setStyleSheet(QString("QPushButton#word { border: none; border-bottom: 2px solid %1; "
                                  "border-radius: 0; padding: 1px 1px; font-size: %3px; }"
                                  "QPushButton#word:hover, QPushButton#word:focus { background: %2; }")
                              .arg(colour.name(), look().line.name())
                              .arg(scaled(px)));
}

}  // namespace

SentenceBar::SentenceBar(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setObjectName("raised");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    take_ = word(this, tr("take"), tr("The take: click to choose another (Ctrl+O opens a file)"));
    source_ = word(this, tr("source"), tr("Whose motion it is: click for what is known of this body"));
    target_ = word(this, tr("target"),
                   tr("Who takes it on: click to choose, ← → step (Alt+← Alt+→ from anywhere)"));
    moved_by_ = new QLabel(tr(", moved by "), this);
    carried_onto_ = new QLabel(tr(", carried onto "), this);
    stop_ = new QLabel(".", this);
    rest_ = new QWidget(this);
    auto* clauses = new QHBoxLayout(rest_);
    clauses->setContentsMargins(0, 0, 0, 0);
    clauses->setSpacing(0);

    for (QWidget* part :
         std::initializer_list<QWidget*>{take_, moved_by_, source_, carried_onto_, target_, rest_, stop_})
        row->addWidget(part);
    row->addStretch();
    target_->installEventFilter(this);
    connect(take_, &QPushButton::clicked, this, &SentenceBar::show_takes);
    connect(source_, &QPushButton::clicked, this, &SentenceBar::show_source);
    connect(target_, &QPushButton::clicked, this, &SentenceBar::show_targets);
    for (const auto signal :
         {&Workspace::source_changed, &Workspace::target_changed, &Workspace::choices_changed,
          &Workspace::limbering_changed, &Workspace::scene_changed, &Workspace::live_changed})
        connect(&workspace_, signal, this, &SentenceBar::refresh);
    refresh();
}

QString SentenceBar::sentence() const {
    QString others;
    for (const QString& clause : clauses_) others += "; " + clause;
    return take_name_ + moved_by_->text() + source_name_ + carried_onto_->text() + target_name_ + others +
           stop_->text();
}

/// `most_of_a_name`: to which a name is cut, px; none: it is whole.
int SentenceBar::width_at(int px, int most_of_a_name) const {
    const QFontMetrics metrics(text_font(px));
    int width = 0;
    for (const QString* name : {&take_name_, &source_name_, &target_name_}) {
        const int whole = metrics.horizontalAdvance(*name);
        width += beside_word_px + (most_of_a_name < 0 ? whole : std::min(whole, most_of_a_name));
    }
    for (const QLabel* label : {moved_by_, carried_onto_, stop_})
        width += metrics.horizontalAdvance(label->text());
    for (const QString& clause : clauses_)
        width += beside_word_px + metrics.horizontalAdvance("; ") +
                 (most_of_a_name < 0 ? metrics.horizontalAdvance(clause)
                                     : std::min(metrics.horizontalAdvance(clause), most_of_a_name));
    return width;
}

int SentenceBar::whole_width() const {
    return width_at(largest_px);
}

void SentenceBar::fit(int room_px) {
    int px = largest_px;
    while (px > least_px && width_at(px) > room_px) --px;
    const QFontMetrics metrics(text_font(px));
    int most = std::max({metrics.horizontalAdvance(take_name_), metrics.horizontalAdvance(source_name_),
                         metrics.horizontalAdvance(target_name_)});
    for (const QString& clause : clauses_) most = std::max(most, metrics.horizontalAdvance(clause));
    while (most > scaled(40) && width_at(px, most) > room_px) most -= 4;
    for (const auto& [word, name, colour] : {std::tuple{take_, &take_name_, look().dim},
                                             {source_, &source_name_, look().source},
                                             {target_, &target_name_, look().target}}) {
        dress(word, colour, px);
        word->setText(metrics.horizontalAdvance(*name) <= most
                          ? *name
                          : metrics.elidedText(*name, Qt::ElideMiddle, most));
        word->setFixedWidth(metrics.horizontalAdvance(word->text()) + beside_word_px);
    }
    for (size_t i = 0; i < casts_.size(); ++i) {
        dress(casts_[i], look().line, px);
        casts_[i]->setText(metrics.elidedText(clauses_[i], Qt::ElideMiddle, most));
        casts_[i]->setFixedWidth(metrics.horizontalAdvance(casts_[i]->text()) + beside_word_px);
    }
    for (QLabel* label : rest_->findChildren<QLabel*>()) label->setFont(text_font(px));
    for (QLabel* label : {moved_by_, carried_onto_, stop_}) label->setFont(text_font(px));
}

void SentenceBar::refresh() {
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    const int take = workspace_.take_index();
    take_name_ = take >= 0 || workspace_.scene().is_open() ? workspace_.take_name() : tr("Choose a take");
    if (workspace_.scene().is_open() && !workspace_.is_limbering())
        take_name_ = tr("%1: %2").arg(text_of(workspace_.scene().document().name), take_name_);
    source_name_ = source ? text_of(source->file.character.name) : tr("…");
    const int at = workspace_.target_index();
    target_name_ = target    ? text_of(target->file.character.name)
                   : at >= 0 ? tr("…")
                             : tr("nobody yet: drop a rig");
    // A stream stands in the take's place.
    const auto& live = workspace_.live();
    moved_by_->setText(live ? tr(", performer ") : tr(", moved by "));
    if (live) {
        take_name_ = tr("Live from %1").arg(live->address);
        source_name_ = live->performer.isEmpty() ? tr("nobody yet") : live->performer;
    }
    refresh_casts();
    emit changed();
}

/// The other casts of a scene.
void SentenceBar::refresh_casts() {
    const SceneWork& scene = workspace_.scene();
    std::vector<std::pair<int, QString>> others;
    if (scene.is_open() && !workspace_.is_limbering())
        for (size_t i = 0; i < scene.casts().size(); ++i)
            if (i != scene.in_hand() && scene.casts()[i].body)
                others.emplace_back(int(i), tr("%1 onto %2")
                                                .arg(text_of(scene.document().casts[i].name),
                                                     text_of(scene.casts()[i].body->file.character.name)));
    std::vector<QString> clauses;
    clauses.reserve(others.size());
    for (const auto& other : others) clauses.push_back(other.second);
    if (clauses == clauses_) return;
    clauses_ = clauses;
    casts_.clear();
    while (QLayoutItem* item = rest_->layout()->takeAt(0)) {
        item->widget()->hide();
        item->widget()->deleteLater();
        delete item;
    }
    for (const auto& [cast, clause] : others) {
        rest_->layout()->addWidget(new QLabel("; ", rest_));
        QPushButton* button =
            word(rest_, clause, tr("Another cast of the scene: a click takes it in hand (Q)"));
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QPushButton::clicked, this, [this, at = cast] { emit cast_wanted(at); });
        rest_->layout()->addWidget(button);
        casts_.push_back(button);
    }
}

void SentenceBar::show_takes() {
    QMenu menu(this);
    for (size_t i = 0; i < workspace_.takes().size(); ++i) {
        QAction* action =
            menu.addAction(workspace_.takes()[i].name, this, [this, i] { workspace_.choose_take(int(i)); });
        action->setCheckable(true);
        action->setChecked(int(i) == workspace_.take_index());
    }
    menu.addSeparator();
    menu.addAction(tr("Open a motion file …"), this, &SentenceBar::open_take_wanted);
    menu.exec(take_->mapToGlobal(QPoint(0, take_->height() + 2)));
}

void SentenceBar::show_source() {
    QMenu menu(this);
    const LoadedPtr source = workspace_.source();
    if (source) {
        const Character& c = source->file.character;
        const auto line = [&menu](const QString& text) { menu.addAction(text)->setEnabled(false); };
        line(tr("%1 bones, %2 with a role").arg(c.rig.skeleton.size()).arg(c.roles.fills.size()));
        line(tr("leg %1 cm, arm %2 cm")
                 .arg(100 * leg_length(c.rig.skeleton, c.roles), 0, 'f', 1)
                 .arg(100 * arm_length(c.rig.skeleton, c.roles), 0, 'f', 1));
        line(tr("unit: %1").arg(QString::fromStdString(c.rig.conventions.unit_reason)));
        line(tr("up %1, facing %2 in the file")
                 .arg(QString::fromStdString(c.rig.conventions.up),
                      QString::fromStdString(c.rig.conventions.facing)));
        line(tr("stands nearest to the common stance in its %1")
                 .arg(QString::fromStdString(c.rest.reference)));
        for (const auto& note : c.rig.notes) line(QString::fromStdString(note));
    }
    menu.addSeparator();
    menu.addAction(tr("Another performer comes with another take …"), this, &SentenceBar::open_take_wanted);
    menu.exec(source_->mapToGlobal(QPoint(0, source_->height() + 2)));
}

void SentenceBar::show_targets() {
    QMenu menu(this);
    for (size_t i = 0; i < workspace_.targets().size(); ++i) {
        QAction* action = menu.addAction(workspace_.targets()[i].name, this,
                                         [this, i] { workspace_.choose_target(int(i)); });
        action->setCheckable(true);
        action->setChecked(int(i) == workspace_.target_index());
    }
    menu.addSeparator();
    if (workspace_.result())
        menu.addAction(tr("Its motion as the take, for another target"), this,
                       [this] { workspace_.use_result_as_take(); });
    menu.addAction(tr("Open a rig …"), this, &SentenceBar::open_target_wanted);
    menu.exec(target_->mapToGlobal(QPoint(0, target_->height() + 2)));
}

bool SentenceBar::eventFilter(QObject* watched, QEvent* event) {
    const bool is_override = event->type() == QEvent::ShortcutOverride;
    if (watched == target_ && (is_override || event->type() == QEvent::KeyPress)) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const int key = pressed->key();
        if ((key == Qt::Key_Left || key == Qt::Key_Right) && pressed->modifiers() == Qt::NoModifier) {
            // On this word the arrows step the target, not the frame.
            if (is_override) {
                event->accept();
                return true;
            }
            workspace_.step_target(key == Qt::Key_Right ? 1 : -1);
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace nb
