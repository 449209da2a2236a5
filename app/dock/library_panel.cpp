#include "app/dock/library_panel.hpp"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/dock/open_list.hpp"
#include "app/dock/set_up_list.hpp"
#include "app/dock/take_preview.hpp"
#include "app/dock/takes_model.hpp"
#include "app/dock/two_lines.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "core/intake/load.hpp"
#include "core/library/changes.hpp"
#include "draw/portrait.hpp"

namespace nb {

namespace {
constexpr int hover_ms = 250;  // so long the pointer rests on a take before it is shown
}

LibraryPanel::LibraryPanel(Workspace& workspace, CharacterDesk& characters, QWidget* parent)
    : QWidget(parent), workspace_(workspace), characters_(characters) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 12, 12, 12);
    column->setSpacing(8);
    auto* top = new QHBoxLayout;
    heading_ = new QLabel(tr("<b>Library</b>"), this);
    add_ = new QPushButton(tr("take in"), this);
    auto* open = new QPushButton(tr("open"), this);
    auto* make = new QPushButton(tr("new"), this);
    open->setToolTip(tr("Open another library folder"));
    make->setToolTip(tr("Make a new library in an empty folder"));
    auto* coverage =
        small_button(tr("coverage"), tr("Which take works on whom, how well, and what is stale (Shift+D)"));
    connect(coverage, &QPushButton::clicked, this, &LibraryPanel::coverage_wanted);
    top->addWidget(heading_, 1);
    for (QPushButton* button : {add_, open, make}) {
        button->setObjectName("small");
        button->setFocusPolicy(Qt::TabFocus);
        top->addWidget(button);
    }
    connect(add_, &QPushButton::clicked, this, [this] {
        const auto [is_character, index] = outsider();
        if (index >= 0) emit add_wanted(is_character, index);
    });
    connect(open, &QPushButton::clicked, this, [this] { emit library_wanted(false); });
    connect(make, &QPushButton::clicked, this, [this] { emit library_wanted(true); });
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("search characters and takes"));
    search_->setAccessibleName(tr("search the library"));
    search_->setClearButtonEnabled(true);
    line_up_ = new LineUp(workspace_, this);
    takes_model_ = new TakesModel(workspace_, this);
    takes_ = new QListView(this);
    takes_->setModel(takes_model_);
    takes_->setUniformItemSizes(true);
    takes_->setDragEnabled(true);
    takes_->setDragDropMode(QAbstractItemView::DragOnly);
    takes_->setAccessibleName(tr("Takes"));
    takes_->setToolTip(tr("A click takes one up, a drag onto the stage too; F2 renames, Delete removes"));
    takes_->setItemDelegate(new TwoLines(takes_));
    takes_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(takes_, &QListView::customContextMenuRequested, this, [this](const QPoint& at) {
        if (const int take = takes_model_->take_at(takes_->indexAt(at)); take >= 0)
            show_menu(false, take, takes_->viewport()->mapToGlobal(at));
    });
    connect(line_up_, &LineUp::menu_wanted, this,
            [this](int index, const QPoint& global) { show_menu(true, index, global); });
    column->addLayout(top);
    column->addWidget(search_);
    column->addWidget(line_up_);
    column->addWidget(make_beside());
    auto* takes_row = new QHBoxLayout;
    takes_heading_ = new QLabel(this);
    takes_row->addWidget(takes_heading_, 1);
    auto* filter = small_button(tr("filter"),
                                tr("Takes by what happens in them, whom they are of, where they were tried"));
    connect(filter, &QPushButton::clicked, this,
            [this, filter] { filter_menu()->popup(filter->mapToGlobal(QPoint(0, filter->height()))); });
    takes_row->addWidget(filter);
    takes_row->addWidget(coverage);
    column->addLayout(takes_row);
    column->addWidget(takes_, 1);
    when_scaled(takes_, [this] { takes_->setMinimumHeight(scaled(116)); });
    column->addWidget(make_words_form());
    scenes_heading_ = new QLabel(tr("<b>Scenes</b>"), this);
    scenes_heading_->setToolTip(tr("Several bodies on one clock and one floor"));
    scenes_ = new QListWidget(this);
    scenes_->setAccessibleName(tr("Scenes"));
    scenes_->setToolTip(tr("A click opens one: its casts come onto the stage"));
    scenes_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    column->addWidget(scenes_heading_);
    column->addWidget(scenes_);
    connect(scenes_, &QListWidget::itemClicked, this, [this](const QListWidgetItem* item) {
        workspace_.open_scene(item->data(Qt::UserRole).toString());
    });
    for (const auto signal :
         {&Workspace::choices_changed, &Workspace::scene_changed, &Workspace::unsaved_changed})
        connect(&workspace_, signal, this, &LibraryPanel::refresh_scenes);
    connect(search_, &QLineEdit::textChanged, this, [this](const QString& text) {
        takes_model_->set_search(text);
        const QString words = QString::fromStdString(takes_model_->query().words());
        line_up_->set_filter(words);
        set_ups_->set_filter(words);
        if (const auto& troubles = takes_model_->query().troubles(); !troubles.empty())
            emit workspace_.said(QString::fromStdString(troubles.front()));
        refresh();
        refresh_scenes();
    });
    connect(takes_, &QListView::clicked, this, [this](const QModelIndex& index) {
        if (const int take = takes_model_->take_at(index); take >= 0) workspace_.choose_take(take);
    });
    connect(&takes_model_->facts(), &TakeFacts::progressed, &workspace_, &Workspace::progressed);
    takes_->setMouseTracking(true);
    takes_->viewport()->installEventFilter(this);
    connect(takes_, &QListView::entered, this,
            [this](const QModelIndex& index) { hover(takes_model_->take_at(index)); });
    hover_.setSingleShot(true);
    hover_.setInterval(hover_ms);
    connect(&hover_, &QTimer::timeout, this, &LibraryPanel::show_beside);
    connect(takes_model_, &QAbstractItemModel::modelReset, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::choices_changed, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::source_changed, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::target_changed, this, &LibraryPanel::refresh);
}

QPushButton* LibraryPanel::small_button(const QString& text, const QString& tip) {
    auto* button = new QPushButton(text, this);
    button->setObjectName("small");
    button->setFocusPolicy(Qt::TabFocus);
    button->setToolTip(tip);
    return button;
}

QWidget* LibraryPanel::make_beside() {
    auto* all = new QWidget(this);
    all->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Maximum);
    auto* rows = new QVBoxLayout(all);
    rows->setContentsMargins(0, 0, 0, 0);
    auto* top = new QHBoxLayout;
    beside_heading_ = new QLabel(all);
    set_ups_switch_ = small_button(tr("set-ups"), tr("Who drives whom, by both names"));
    set_ups_switch_->setCheckable(true);
    connect(set_ups_switch_, &QPushButton::clicked, this, &LibraryPanel::show_beside);
    top->addWidget(beside_heading_, 1);
    top->addWidget(set_ups_switch_);
    rows->addLayout(top);
    beside_ = new QStackedWidget(all);
    open_list_ = new OpenList(workspace_, beside_);
    set_ups_ = new SetUpList(workspace_, beside_);
    preview_ = new TakePreview(workspace_, beside_);
    for (QWidget* page : std::initializer_list<QWidget*>{open_list_, set_ups_, preview_})
        beside_->addWidget(page);
    when_scaled(beside_, [this] { beside_->setFixedHeight(scaled(132)); });
    rows->addWidget(beside_);
    show_beside();
    return all;
}

void LibraryPanel::show_set_ups(bool on) {
    set_ups_switch_->setChecked(on);
    show_beside();
}

void LibraryPanel::hover(int take) {
    hovered_ = take;
    hover_.start();
}

/// The take under the pointer, else what was chosen to be there.
void LibraryPanel::show_beside() {
    preview_->show_take(hovered_);
    if (hovered_ >= 0) {
        beside_heading_->setText(tr("<b>Seen on the target</b>"));
        beside_heading_->setToolTip(tr("The take under the pointer, as it is kept in the library"));
        beside_->setCurrentWidget(preview_);
    } else if (set_ups_switch_->isChecked()) {
        beside_heading_->setText(tr("<b>Set-ups</b>"));
        beside_heading_->setToolTip(tr("What is kept for pairs of bodies"));
        beside_->setCurrentWidget(set_ups_);
    } else {
        beside_heading_->setText(tr("<b>Open now</b>"));
        beside_heading_->setToolTip(tr("Bodies and takes that are on the stage, were there, or are changed"));
        beside_->setCurrentWidget(open_list_);
    }
}

bool LibraryPanel::eventFilter(QObject* watched, QEvent* event) {
    if (watched == takes_->viewport() && event->type() == QEvent::Leave) {
        hover_.stop();
        hovered_ = -1;
        show_beside();
    }
    return QWidget::eventFilter(watched, event);
}

QMenu* LibraryPanel::filter_menu() {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto choices = [&](const QString& title, const char* key,
                             const QList<std::pair<QString, QString>>& all) {
        auto* below = menu->addMenu(title);
        for (const auto& [shown, value] : all)
            below->addAction(shown, this, [this, key, value = value] { put_filter(key, value); });
        below->setEnabled(!below->isEmpty());
    };
    QList<std::pair<QString, QString>> bodies, characters, moves, touches;
    for (const Choice& take : workspace_.takes())
        if (const QString body = takes_model_->facts().of(take).body;
            !body.isEmpty() && !bodies.contains(std::pair(body, body)))
            bodies << std::pair(body, body);
    for (const Choice& target : workspace_.targets())
        if (target.is_of_library) characters << std::pair(target.name, target.entry);
    for (const char* word : account_moves) moves << std::pair(tr(word), QString(word));
    for (const char* word : account_touches) touches << std::pair(tr(word), QString(word));
    choices(tr("captured on"), "on", bodies);
    choices(tr("longer than"), "longer", {{tr("5 s"), "5"}, {tr("10 s"), "10"}, {tr("30 s"), "30"}});
    choices(tr("shorter than"), "shorter", {{tr("5 s"), "5"}, {tr("10 s"), "10"}, {tr("30 s"), "30"}});
    choices(tr("the body"), "does", moves);
    choices(tr("travels at least"), "travels", {{tr("1 m"), "1"}, {tr("5 m"), "5"}, {tr("20 m"), "20"}});
    choices(tr("touches with or on"), "touches", touches);
    menu->addSeparator();
    choices(tr("tried on"), "tried", characters);
    choices(tr("not tried on"), "untried", characters);
    choices(tr("outside its bars on"), "outside", characters);
    menu->addSeparator();
    menu->addAction(tr("No filter"), this,
                    [this] { search_->setText(QString::fromStdString(takes_model_->query().words())); });
    return menu;
}

void LibraryPanel::put_filter(const char* key, const QString& value) {
    search_->setText(
        QString::fromStdString(with_filter(search_->text().toStdString(), key, value.toStdString())));
}

/// As high as its rows, four at most: takes have the room.
void LibraryPanel::refresh_scenes() {
    constexpr int most_rows = 4;
    const QString text = QString::fromStdString(takes_model_->query().words());
    scenes_->clear();
    for (const auto& [name, path] : workspace_.scenes()) {
        if (!name.toLower().contains(text)) continue;
        auto* item = new QListWidgetItem(name, scenes_);
        item->setData(Qt::UserRole, path);
        if (workspace_.scene().is_open() && path.toStdString() == workspace_.scene().key().path)
            scenes_->setCurrentItem(item);
    }
    const bool has_any = scenes_->count() > 0;
    scenes_heading_->setVisible(has_any);
    scenes_->setVisible(has_any);
    if (has_any)
        scenes_->setFixedHeight(8 + std::min(scenes_->count(), most_rows) * scenes_->sizeHintForRow(0));
}

std::pair<bool, int> LibraryPanel::outsider() const {
    const auto is_outside = [](const std::vector<Choice>& list, int index) {
        return index >= 0 && index < int(list.size()) && !list[size_t(index)].is_of_library;
    };
    if (is_outside(workspace_.targets(), workspace_.target_index())) return {true, workspace_.target_index()};
    if (is_outside(workspace_.takes(), workspace_.take_index())) return {false, workspace_.take_index()};
    return {true, -1};
}

QMenu* LibraryPanel::menu_of(bool is_character, int index) {
    const Choice& choice = (is_character ? workspace_.targets() : workspace_.takes())[size_t(index)];
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    if (!choice.is_of_library) {
        menu->addAction(tr("Take into the library"), this,
                        [=, this] { emit add_wanted(is_character, index); });
        if (!is_character) return menu;
        auto* newer = menu->addMenu(tr("Take in as a newer rig of"));
        for (const Choice& known : workspace_.targets())
            if (known.is_of_library && !known.document.isEmpty())
                newer->addAction(known.name, this, [this, known, path = choice.path] {
                    characters_.look_at_newer(known, path);
                });
        newer->setEnabled(!newer->isEmpty());
        return menu;
    }
    menu->addAction(tr("Rename"), this, [=, this] { start_rename(is_character, index); });
    menu->addAction(tr("Tags, notes, terms"), this, [=, this] { start_words(is_character, index); });
    if (is_character && !choice.document.isEmpty()) add_character_actions(menu, index);
    menu->addAction(tr("Remove (to the library's trash)"), this,
                    [=, this] { emit remove_wanted(is_character, index); });
    return menu;
}

void LibraryPanel::add_character_actions(QMenu* menu, int index) {
    const Choice choice = workspace_.targets()[size_t(index)];
    menu->addSeparator();
    menu->addAction(tr("A newer file of its rig"), this, [=, this] { emit newer_wanted(index); });
    if (const auto versions = characters_.versions(choice); !versions.empty()) {
        auto* older = menu->addMenu(tr("Another version of its rig"));
        for (const RigVersion& version : versions)
            older->addAction(tr("laid aside on %1").arg(QString::fromStdString(version.name)), this,
                             [=, this] { characters_.put_version(choice, version); });
    }
    menu->addSeparator();
    const FamilyName own = characters_.family_of(choice);
    if (own.id.empty()) {
        menu->addAction(tr("Found a family with it"), this, [=, this] {
            QString name = choice.name;
            if (name.startsWith("the ")) name = name.mid(4);
            characters_.found(choice, name);
        });
        auto* join = menu->addMenu(tr("Join a family"));
        for (const Family& family : characters_.families())
            join->addAction(QString::fromStdString(family.name), this,
                            [=, this] { characters_.join(choice, family); });
        join->setEnabled(!join->isEmpty());
    } else {
        const QString name = QString::fromStdString(own.name);
        menu->addAction(tr("Give its work to the family '%1'").arg(name), this,
                        [=, this] { characters_.look_at_giving(choice); });
        menu->addAction(tr("Leave the family '%1'").arg(name), this,
                        [=, this] { characters_.leave(choice); });
    }
    menu->addAction(tr("Write it as a template"), this, [=, this] { emit template_wanted(index, true); });
    menu->addAction(tr("Take a template into the library"), this,
                    [=, this] { emit template_wanted(index, false); });
    if (!characters_.families().empty())
        menu->addAction(tr("Fill all rigs without a family"), this,
                        [this] { characters_.look_at_filling(); });
    menu->addSeparator();
}

void LibraryPanel::show_menu(bool is_character, int index, const QPoint& global) {
    menu_of(is_character, index)->popup(global);
}

void LibraryPanel::start_rename(bool is_character, int index) {
    delete rename_;
    const Choice& choice = (is_character ? workspace_.targets() : workspace_.takes())[size_t(index)];
    rename_ = new QLineEdit(choice.name, this);
    rename_->setAccessibleName(tr("new name"));
    QRect place;
    if (is_character) {
        const QPoint at = line_up_->mapTo(this, line_up_->place_of(index));
        place = QRect(at.x() - 70, line_up_->geometry().bottom() - 66, 140, 26);
    } else {
        const QModelIndex row = takes_model_->row_of(index);
        takes_->scrollTo(row);
        const QRect at = takes_->visualRect(row);
        place = QRect(takes_->viewport()->mapTo(this, at.topLeft()), QSize(at.width(), 26));
    }
    place.moveLeft(std::clamp(place.left(), 4, std::max(4, width() - place.width() - 4)));
    rename_->setGeometry(place);
    rename_->selectAll();
    rename_->show();
    rename_->setFocus();
    const auto done = [this] {
        if (!rename_) return;
        rename_->deleteLater();
        rename_ = nullptr;
    };
    connect(rename_, &QLineEdit::returnPressed, this, [=, this, old = choice.name, path = choice.path] {
        const QString name = rename_->text().trimmed();
        done();
        // Others may have changed the list meanwhile.
        const auto& list = is_character ? workspace_.targets() : workspace_.takes();
        const auto at =
            std::find_if(list.begin(), list.end(), [&](const Choice& c) { return c.path == path; });
        if (!name.isEmpty() && name != old && at != list.end())
            emit rename_wanted(is_character, int(at - list.begin()), name);
    });
    connect(rename_, &QLineEdit::editingFinished, this, done);
}

QWidget* LibraryPanel::make_words_form() {
    words_form_ = new QWidget(this);
    auto* rows = new QVBoxLayout(words_form_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(4);
    words_name_ = new QLabel(words_form_);
    tags_ = new QLineEdit(words_form_);
    tags_->setPlaceholderText(tr("tags, with commas between"));
    tags_->setAccessibleName(tr("tags"));
    notes_ = new QLineEdit(words_form_);
    notes_->setPlaceholderText(tr("notes"));
    notes_->setAccessibleName(tr("notes"));
    rows->addWidget(words_name_);
    rows->addWidget(tags_);
    rows->addWidget(notes_);
    terms_ = new QLineEdit(words_form_);
    terms_->setPlaceholderText(tr("terms: licence, limits"));
    terms_->setAccessibleName(tr("terms"));
    rows->addWidget(terms_);
    for (QLineEdit* field : {tags_, notes_, terms_})
        connect(field, &QLineEdit::returnPressed, this, &LibraryPanel::keep_words);
    words_form_->hide();
    return words_form_;
}

void LibraryPanel::start_words(bool is_character, int index) {
    const Choice& choice = (is_character ? workspace_.targets() : workspace_.takes())[size_t(index)];
    try {
        const ItemWords words =
            words_of({"", choice.path.toStdString(), choice.document.toStdString()}, is_character);
        QStringList tags;
        for (const std::string& tag : words.tags) tags << QString::fromStdString(tag);
        tags_->setText(tags.join(", "));
        notes_->setText(QString::fromStdString(words.notes));
        terms_->setText(QString::fromStdString(words.terms));
    } catch (const std::exception& fault) {
        emit workspace_.failed(QString::fromStdString(fault.what()));
        return;
    }
    words_of_ = choice.path;
    words_of_character_ = is_character;
    words_name_->setText(tr("<b>%1</b>: tags, notes, terms").arg(choice.name.toHtmlEscaped()));
    words_form_->show();
    tags_->setFocus();
}

void LibraryPanel::keep_words() {
    words_form_->hide();
    // Others may have changed the list meanwhile.
    const auto& list = words_of_character_ ? workspace_.targets() : workspace_.takes();
    const auto at =
        std::find_if(list.begin(), list.end(), [&](const Choice& c) { return c.path == words_of_; });
    if (at == list.end()) return;
    ItemWords words{{}, notes_->text().trimmed().toStdString(), terms_->text().trimmed().toStdString()};
    for (const QString& tag : tags_->text().split(',', Qt::SkipEmptyParts))
        if (const std::string one = tag.simplified().toStdString();
            !one.empty() && std::find(words.tags.begin(), words.tags.end(), one) == words.tags.end())
            words.tags.push_back(one);
    emit words_wanted(words_of_character_, int(at - list.begin()), words);
}

void LibraryPanel::keyPressEvent(QKeyEvent* event) {
    const bool in_takes = takes_->hasFocus() && takes_->currentIndex().isValid();
    const int index = in_takes ? takes_model_->take_at(takes_->currentIndex()) : workspace_.target_index();
    const auto& list = in_takes ? workspace_.takes() : workspace_.targets();
    if (index >= 0 && index < int(list.size()) && list[size_t(index)].is_of_library) {
        if (event->key() == Qt::Key_F2) return start_rename(!in_takes, index);
        if (event->key() == Qt::Key_Delete) return emit remove_wanted(!in_takes, index);
    }
    if (event->key() == Qt::Key_Escape && words_form_->isVisible()) return words_form_->hide();
    QWidget::keyPressEvent(event);
}

void LibraryPanel::refresh() {
    const auto [is_character, outside] = outsider();
    add_->setEnabled(outside >= 0 && workspace_.has_library());
    add_->setToolTip(
        outside < 0
            ? tr("What is open is in the library already")
            : tr("Copies %1 into the library")
                  .arg((is_character ? workspace_.targets() : workspace_.takes())[size_t(outside)].name));
    heading_->setToolTip(workspace_.library_folder());
    takes_->setCurrentIndex(takes_model_->row_of(workspace_.take_index()));
    const int all = int(workspace_.takes().size()), seen = takes_model_->rowCount();
    takes_heading_->setText(seen == all ? tr("<b>Takes</b>")
                                        : tr("<b>Takes</b> · %1 of %2").arg(seen).arg(all));
}

}  // namespace nb
