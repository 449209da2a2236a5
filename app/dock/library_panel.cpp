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
#include <QVBoxLayout>

#include "app/dock/open_list.hpp"
#include "app/dock/takes_model.hpp"
#include "app/dock/two_lines.hpp"
#include "app/look/look.hpp"
#include "core/intake/load.hpp"
#include "core/library/changes.hpp"
#include "draw/portrait.hpp"

namespace nb {

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
    auto* coverage = new QPushButton(tr("coverage"), this);
    coverage->setObjectName("small");
    coverage->setFocusPolicy(Qt::TabFocus);
    coverage->setToolTip(tr("Which take works on whom, how well, and what is stale (Shift+D)"));
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
    auto* open_heading = new QLabel(tr("<b>Open now</b>"), this);
    open_heading->setToolTip(tr("Bodies and takes that are on the stage, were there, or are changed"));
    column->addWidget(open_heading);
    column->addWidget(new OpenList(workspace_, this));
    auto* takes_row = new QHBoxLayout;
    takes_row->addWidget(new QLabel(tr("<b>Takes</b>"), this), 1);
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
        line_up_->set_filter(text);
        takes_model_->set_search(text);
        refresh();
        refresh_scenes();
    });
    connect(takes_, &QListView::clicked, this, [this](const QModelIndex& index) {
        if (const int take = takes_model_->take_at(index); take >= 0) workspace_.choose_take(take);
    });
    connect(takes_model_, &QAbstractItemModel::modelReset, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::choices_changed, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::source_changed, this, &LibraryPanel::refresh);
    connect(&workspace_, &Workspace::target_changed, this, &LibraryPanel::refresh);
}

/// As high as its rows, four at most: takes have the room.
void LibraryPanel::refresh_scenes() {
    constexpr int most_rows = 4;
    const QString text = search_->text().toLower();
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
    menu->addAction(tr("Tags and notes"), this, [=, this] { start_words(is_character, index); });
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
    for (QLineEdit* field : {tags_, notes_})
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
    } catch (const std::exception& fault) {
        emit workspace_.failed(QString::fromStdString(fault.what()));
        return;
    }
    words_of_ = choice.path;
    words_of_character_ = is_character;
    words_name_->setText(tr("<b>%1</b>: tags and notes").arg(choice.name.toHtmlEscaped()));
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
    QStringList tags;
    for (const QString& tag : tags_->text().split(',', Qt::SkipEmptyParts))
        if (const QString one = tag.simplified(); !one.isEmpty() && !tags.contains(one)) tags << one;
    emit words_wanted(words_of_character_, int(at - list.begin()), tags, notes_->text().trimmed());
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
}

}  // namespace nb
