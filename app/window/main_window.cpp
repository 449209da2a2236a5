#include "app/window/main_window.hpp"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSpinBox>
#include <QAction>
#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <utility>

#include "app/change/change_page.hpp"
#include "app/coverage/coverage_page.hpp"
#include "app/dock/library_panel.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"
#include "app/window/handbook.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/stage_bar.hpp"
#include "app/window/state_line.hpp"
#include "app/window/station_line.hpp"
#include "app/window/tape.hpp"
#include "app/window/top_bar.hpp"
#include "app/window/transport.hpp"
#include "app/window/unsaved_list.hpp"
#include "app/work/take_sound.hpp"
#include "app/work/value_change.hpp"

namespace nb {

MainWindow::MainWindow(QWidget* parent, const MakeStations& make_list) : QMainWindow(parent) {
    const SheetHeld held;  // until all widgets are there
    read_look();           // before any widget takes its font
    setAcceptDrops(true);
    resize(QSettings().value("window/size", QSize(1280, 800)).toSize());
    stage_ = new StageView(workspace_, playback_, this);
    make_actions();
    top_ = new TopBar(
        workspace_, [this](const QString& name) { return action(name); }, this);
    list_ = make_list({workspace_, *stage_, playback_, undo_, live_, this});
    for (Station* station : list_)
        for (const StationAction& about : station->actions())
            add(about.name, about.text, about.keys, about.run);
    add_station_keys();
    stations_ = new StationLine(list_, this);
    transport_ = new Transport(playback_, this);
    sound_ = new TakeSoundPlayer(workspace_, playback_, this);
    connect(sound_, &TakeSoundPlayer::changed, this, [this] {
        const Sound* sound = sound_->sound();
        if (!sound) return transport_->time_line()->set_sound({});
        transport_->time_line()->set_sound([this](double from, double to) {
            const Sound* now = sound_->sound();
            return now ? peak(*now, sound_->time_s(from), sound_->time_s(to)) : std::pair{0.0F, 0.0F};
        });
    });
    connect(sound_, &TakeSoundPlayer::failed, this,
            [this](const QString& line) { notice_->say(line, true); });
    notice_ = new NoticeBar(this);

    auto* centre = new QWidget(this);
    centre->setObjectName("page");
    auto* rows = new QVBoxLayout(centre);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    rows->addWidget(top_);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    middle->addWidget(stations_);
    across_ = new QSplitter(Qt::Horizontal, this);
    across_->setHandleWidth(3);
    across_->setChildrenCollapsible(false);
    stage_side_ = make_stage_side();
    places_ = new QStackedWidget(this);
    places_->addWidget(stage_side_);
    places_->addWidget(make_coverage());
    places_->addWidget(make_change());
    across_->addWidget(places_);
    handbook_ = new Handbook(this);
    handbook_->hide();
    across_->addWidget(handbook_);
    across_->addWidget(make_panels());
    across_->setStretchFactor(0, 1);
    across_->setStretchFactor(1, 0);
    across_->setStretchFactor(2, 0);
    middle->addWidget(across_, 1);
    rows->addLayout(middle, 1);
    // While a stream is followed a tape stands in the transport's place.
    tape_ = new Tape(live_, this);
    rows->addWidget(transport_);
    rows->addWidget(tape_);
    tape_->hide();
    connect(&workspace_, &Workspace::live_changed, this, [this] {
        tape_->setVisible(workspace_.live().has_value());
        transport_->setVisible(!workspace_.live());
    });
    setCentralWidget(centre);
    when_scaled(this, [this] {
        const QSize free = screen()->availableGeometry().size();
        setMinimumSize(scaled(QSize(1000, 640)).boundedTo(free.expandedTo(QSize(1000, 640))));
        for (QWidget* column : std::initializer_list<QWidget*>{panels_, handbook_})
            column->setMinimumWidth(scaled(least_panel_px));
        if (was_shown_) QMetaObject::invokeMethod(this, &MainWindow::give_room, Qt::QueuedConnection);
    });

    connect_parts();
    connect_workspace();
    refresh_look();
    refresh_title();
    show_station();
    stage_->setFocus();
    qApp->installEventFilter(this);
    // The mouse leaves the keyboard with the stage: Space plays after any click.
    for (auto* button : findChildren<QAbstractButton*>()) button->setFocusPolicy(Qt::TabFocus);
}

MainWindow::~MainWindow() {
    // A field that loses the keyboard still speaks: it does so while what it speaks to is there.
    if (QWidget* with_keyboard = focusWidget()) with_keyboard->clearFocus();
    workspace_.disconnect();
}

SentenceBar& MainWindow::sentence() {
    return top_->sentence();
}

void MainWindow::connect_parts() {
    connect(library_, &LibraryPanel::rename_wanted, this,
            [this](bool is_character, int index, const QString& name) {
                change_library(ChangeLibrary::Kind::rename, is_character, index, name);
            });
    connect(library_, &LibraryPanel::remove_wanted, this, [this](bool is_character, int index) {
        change_library(ChangeLibrary::Kind::remove, is_character, index, {});
    });
    connect(library_, &LibraryPanel::add_wanted, this, [this](bool is_character, int index) {
        change_library(ChangeLibrary::Kind::add, is_character, index, {});
    });
    connect(library_, &LibraryPanel::words_wanted, this, &MainWindow::change_words);
    connect(library_, &LibraryPanel::library_wanted, this, &MainWindow::ask_library);
    connect(library_, &LibraryPanel::newer_wanted, this, &MainWindow::ask_newer);
    connect(library_, &LibraryPanel::template_wanted, this, &MainWindow::ask_template);
    connect(library_, &LibraryPanel::coverage_wanted, this, [this] { show_coverage(true); });
    connect(&workspace_, &Workspace::result_changed, this, &MainWindow::go_to_wanted);
    connect(across_, &QSplitter::splitterMoved, this, [this] {
        if (panels_->isVisible()) QSettings().setValue("panel width", panels_->width());
        if (handbook_->isVisible()) QSettings().setValue("handbook width", handbook_->width());
    });
    connect(transport_, &Transport::trim_wanted, action("trim to range"), &QAction::trigger);
    connect(notice_, &NoticeBar::cancel_wanted, this, [this] { workspace_.cancel(); });
    connect(stations_, &StationLine::station_chosen, this, [this] {
        show_coverage(false);
        show_library(false);
        if (handbook_->isVisible()) handbook_->show_page(stations_->station().about().id);
    });
    connect(stage_, &StageView::trouble_found, this, [this](const QString& line) {
        notice_->say(tr("The stage cannot be drawn: %1. Everything else works.").arg(line), true);
    });
    connect(&top_->sentence(), &SentenceBar::open_take_wanted, this, [this] { ask_open(false); });
    connect(&top_->sentence(), &SentenceBar::open_target_wanted, this, [this] { ask_open(true); });
    connect(&top_->sentence(), &SentenceBar::cast_wanted, this,
            [this](int cast) { workspace_.take_in_hand(size_t(cast), playback_.frame()); });
    connect(&top_->state(), &StateLine::wanted, this, [this](const QString& what) {
        if (what == "export")
            ask_export();
        else
            show_in(what, {});
    });
    connect(&undo_, &QUndoStack::indexChanged, this, [this](int index) {
        if (index != std::exchange(changes_, index)) workspace_.remember_before();
    });
}

void MainWindow::connect_workspace() {
    connect(&workspace_, &Workspace::source_changed, this, &MainWindow::take_to_transport);
    connect(&workspace_, &Workspace::settings_changed, this, &MainWindow::follow_pace);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed,
                              &Workspace::rest_changed, &Workspace::settings_changed})
        connect(&workspace_, signal, stations_, &StationLine::refresh_open_points);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed, &Workspace::judged})
        connect(&workspace_, signal, this, [this] { transport_->set_marks(workspace_.marked_frames()); });
    for (const auto signal : {&Workspace::scene_changed, &Workspace::limbering_changed})
        connect(&workspace_, signal, this, [this] {
            const bool is_cast = workspace_.scene().is_open() && !workspace_.is_limbering();
            transport_->set_scene_start(is_cast ? std::optional(workspace_.scene().scene_s(0))
                                                : std::nullopt);
        });
    connect(&workspace_, &Workspace::limbering_changed, this,
            [this] { playback_.play(workspace_.is_limbering()); });
    connect(&workspace_, &Workspace::progressed, notice_, &NoticeBar::show_progress);
    connect(&workspace_, &Workspace::said, this, [this](const QString& line) { notice_->say(line); });
    connect(&workspace_, &Workspace::failed, this, [this](const QString& line) { notice_->say(line, true); });
    connect(&workspace_, &Workspace::changed_by_others, this,
            [this](const QStringList& documents, const QString& line) {
                notice_->say(line, true,
                             {{tr("save mine over it"), [this] { workspace_.save(true); }},
                              {tr("take theirs, let go of mine"), [this, documents] {
                                   for (const QString& document : documents) workspace_.take_theirs(document);
                               }}});
            });
    connect(&workspace_, &Workspace::leftovers_found, this, [this](int count) {
        notice_->say(
            tr("%n thing(s) in the library were left half done by a program that ended.", nullptr, count),
            true, {{tr("lay it aside, to the trash"), [this] { workspace_.lay_leftovers_aside(); }}});
    });
    connect(&workspace_, &Workspace::unsaved_changed, this, &MainWindow::refresh_title);
    connect(&workspace_, &Workspace::settings_changed, this, &MainWindow::refresh_title);
    connect(&workspace_, &Workspace::file_opened, this, &MainWindow::tell_opened);
    connect(&workspace_, &Workspace::files_sorted, this, &MainWindow::tell_sorted);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] {
            // What is said of an opened file goes with it.
            const QString name = QFileInfo(last_opened_).fileName();
            if (name.isEmpty() || !notice_->line().startsWith(name + ":")) return;
            for (const bool of_target : {false, true})
                if (const LoadedPtr body = workspace_.body(of_target);
                    body && text_of(body->file.character.rig.path) == last_opened_)
                    return;
            notice_->say({});
        });
}

void MainWindow::take_to_transport() {
    const Take& take = *workspace_.source()->file.take;
    // Read anew, it is the same take: frame and range keep their place in the file.
    const bool is_same = std::exchange(shown_take_, workspace_.key(false)) == workspace_.key(false);
    const FileFrames before = std::exchange(shown_frames_, workspace_.take_frames());
    const auto now_of = [before, now = shown_frames_](int frame) {
        return now.from_file(before.to_file(frame));
    };
    playback_.set_take(take.frames, take.frame_time_s,
                       is_same ? std::function<int(int)>(now_of) : std::function<int(int)>());
    if (playback_.frame() < take.first_motion_frame) playback_.go_to(take.first_motion_frame);
    follow_pace();
}

/// A loop or another pace changes how many frames there are.
void MainWindow::follow_pace() {
    const int frames = workspace_.frames();
    if (frames > 0 && frames != playback_.frames())
        playback_.set_take(frames, playback_.frame_time_s(), [](int frame) { return frame; });
}

void MainWindow::tell_opened(const QString& path, bool as_take, const QString& holds) {
    last_opened_ = path;
    const QString name = QFileInfo(path).fileName();
    if (as_take)
        notice_->say(
            tr("%1: %2. It is the take now.").arg(name, holds), false,
            {{tr("use its body as the target instead"), [this, path] { workspace_.open_file(path, true); }}});
    else
        notice_->say(tr("%1: %2. It is the target now.").arg(name, holds));
}

void MainWindow::tell_sorted(const std::vector<SortedFile>& files) {
    QStringList lines;
    bool has_trouble = false;
    for (const SortedFile& file : files) {
        has_trouble |= file.as == Taken::nothing;
        QString line = tr("%1: %2").arg(QFileInfo(text_of(file.path)).fileName(), text_of(file.holds));
        if (file.as == Taken::rig) line += tr(" — a target");
        if (file.as == Taken::take) line += tr(" — a take");
        if (file.as == Taken::thing) line += tr(" — a thing on the stage");
        if (!file.why.empty()) line += tr(", %1").arg(text_of(file.why));
        lines << line;
    }
    const bool is_only_library = files.size() == 1 && files[0].as == Taken::library;
    if (!is_only_library) notice_->say(lines.join('\n'), has_trouble);
}

void MainWindow::read_look() {
    const QSettings kept;
    is_paper_ = kept.value("look", "ink").toString() == "paper";
    text_percent_ = kept.value("text percent", 100).toInt();
    apply_look(is_paper_ ? "paper" : "ink", text_percent_);
}

void MainWindow::set_look(const QString& name) {
    QSettings().setValue("look", name);
    read_look();
    refresh_look();
}

void MainWindow::set_text_size(int percent) {
    QSettings().setValue("text percent", std::clamp(percent, text_sizes.front(), text_sizes.back()));
    read_look();
    refresh_look();
    notice_->say(tr("Text is at %1 %.").arg(text_percent_));
}

void MainWindow::refresh_look() {
    top_->refresh_icons();
    transport_->refresh_icons();
    notice_->refresh();
    for (Station* station : list_) station->refresh_look();
    emit workspace_.choices_changed();
    for (QWidget* widget : findChildren<QWidget*>()) widget->update();
}

void MainWindow::refresh_title() {
    setWindowTitle(workspace_.unsaved().empty() ? tr("Nimble Bone") : tr("Nimble Bone — not saved"));
}

void MainWindow::show_unsaved() {
    auto* list = new UnsavedList(workspace_, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    const QToolButton& button = top_->button("unsaved");
    const QPoint below = button.mapToGlobal(QPoint(button.width(), button.height() + 4));
    list->adjustSize();
    list->move(below - QPoint(list->width(), 0));
    list->show();
}

void MainWindow::show_handbook(bool on, const QString& page, const QString& at_words) {
    handbook_->setVisible(on);
    top_->button("handbook").setChecked(on);
    give_room();
    if (!on) return is_coverage_shown() ? coverage_->table().setFocus() : stage_->setFocus();
    const QString own = is_coverage_shown() ? QString("coverage")
                        : is_change_shown() ? QString("characters")
                                            : stations_->station().about().id;
    handbook_->show_page(page.isEmpty() ? own : page, at_words);
    handbook_->setFocus();
}

void MainWindow::show_library(bool on) {
    is_library_shown_ = on;
    top_->button("library").setChecked(on);
    show_station();
    if (on) panels_->setCurrentWidget(library_);
}

void MainWindow::show_station() {
    Station& now = stations_->station();
    if (entered_ != &now) {
        if (entered_) entered_->leave();
        entered_ = &now;
        now.enter();
    }
    panels_->setCurrentWidget(pages_.at(&now));
    QWidget* sheet = now.sheet();
    if (sheet) sheets_->setCurrentWidget(sheet);
    sheets_->setVisible(sheet != nullptr);
    give_room();
    promise_->setText(QString("<b>%1</b><br><br>%2").arg(now.about().name, now.about().promise));
}

void MainWindow::change_words(bool is_character, int index, const ItemWords& after) {
    const Choice choice = (is_character ? workspace_.targets() : workspace_.takes())[size_t(index)];
    try {
        const ItemWords before =
            words_of({"", choice.path.toStdString(), choice.document.toStdString()}, is_character);
        if (before == after) return;
        undo_.push(new ValueChange<ItemWords>(
            [this, choice, is_character](const ItemWords& words) {
                workspace_.set_words(choice, is_character, words);
            },
            before, after, tr("what is said of %1").arg(choice.name), -1));
    } catch (const std::exception& fault) {
        notice_->say(text_of(fault.what()), true);
    }
}

bool MainWindow::is_coverage_shown() const {
    return places_->currentWidget() == coverage_;
}

bool MainWindow::is_change_shown() const {
    return places_->currentWidget() == change_;
}

bool MainWindow::is_page_shown() const {
    return places_->currentWidget() != stage_side_;
}

void MainWindow::show_page(QWidget* page) {
    QWidget* shown = page ? page : stage_side_;
    if (places_->currentWidget() == shown) return;
    places_->setCurrentWidget(shown);
    // What is said stands below whichever is shown.
    shown->layout()->addWidget(notice_);
    transport_->setVisible(!page);
    if (page) playback_.play(false);
    give_room();
    if (handbook_->isVisible()) show_handbook(true);
    coverage_->set_shown(page == coverage_);
    if (page == change_) change_->take_in()->setFocus();
    if (!page) stage_->setFocus();
}

void MainWindow::show_coverage(bool on) {
    if (on || is_coverage_shown()) show_page(on ? coverage_ : nullptr);
}

void MainWindow::open_pair(const QString& take, const QString& character, int frame) {
    const auto place_of = [](const std::vector<Choice>& list, const QString& entry) {
        const auto found = std::find_if(list.begin(), list.end(),
                                        [&](const Choice& choice) { return choice.entry == entry; });
        return found == list.end() ? -1 : int(found - list.begin());
    };
    const int of = place_of(workspace_.takes(), take), onto = place_of(workspace_.targets(), character);
    if (of < 0 || onto < 0)
        return notice_->say(tr("%1 is not in the library any more.").arg(of < 0 ? take : character), true);
    wanted_ = Wanted{take, character, frame};
    show_in("transfer", {});
    show_coverage(false);
    workspace_.choose_take(of);
    workspace_.choose_target(onto);
    go_to_wanted();
}

/// Once the pair that was asked for is on the stage.
void MainWindow::go_to_wanted() {
    if (!wanted_ || !workspace_.result()) return;
    const int take = workspace_.take_index(), target = workspace_.target_index();
    if (take < 0 || target < 0 || workspace_.takes()[size_t(take)].entry != wanted_->take ||
        workspace_.targets()[size_t(target)].entry != wanted_->character)
        return;
    playback_.go_to(std::exchange(wanted_, {})->frame);
}

void MainWindow::show_in(const QString& station, const QString& what) {
    stations_->set_station(station);
    stations_->station().go_to(what);
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    // What has the keyboard keeps the keys that work it; everywhere else they work the window.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const bool is_control = qobject_cast<QAbstractButton*>(watched) ||
                                qobject_cast<QComboBox*>(watched) || qobject_cast<QAbstractSlider*>(watched);
        const bool is_own_key = pressed->key() == Qt::Key_Space || pressed->key() == Qt::Key_Home ||
                                pressed->key() == Qt::Key_End || pressed->key() == Qt::Key_Left ||
                                pressed->key() == Qt::Key_Right;
        if (is_control && is_own_key && pressed->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
    }
    // By Tab one comes to a text's first link, not to the text and then to its link.
    if (event->type() == QEvent::FocusIn) {
        const Qt::FocusReason reason = static_cast<QFocusEvent*>(event)->reason();
        if (auto* label = qobject_cast<QLabel*>(watched);
            label && (reason == Qt::TabFocusReason || reason == Qt::BacktabFocusReason))
            QMetaObject::invokeMethod(
                label,
                [label, reason] {
                    QKeyEvent tab(QEvent::KeyPress,
                                  reason == Qt::TabFocusReason ? Qt::Key_Tab : Qt::Key_Backtab,
                                  Qt::NoModifier);
                    if (label->hasFocus()) QCoreApplication::sendEvent(label, &tab);
                },
                Qt::QueuedConnection);
    }
    // While H is held, the result before the last change is shown; fields keep their letters.
    if (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const QWidget* with_keyboard = qobject_cast<QWidget*>(watched);
        if (!with_keyboard) with_keyboard = QApplication::focusWidget();
        const bool is_typing = qobject_cast<const QLineEdit*>(with_keyboard) ||
                               qobject_cast<const QAbstractSpinBox*>(with_keyboard) ||
                               qobject_cast<const QAbstractItemView*>(with_keyboard);
        if (pressed->key() == Qt::Key_H && pressed->modifiers() == Qt::NoModifier && !is_typing) {
            if (!pressed->isAutoRepeat()) workspace_.show_before(event->type() == QEvent::KeyPress);
            return true;
        }
    }
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    open_files(paths, stage_->floor_of_source_at(stage_->mapFrom(this, event->position())));
    event->acceptProposedAction();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (workspace_.has_unsaved_changes() && !close_anyway_) {
        QStringList names;
        for (const Drafts::Unsaved& unsaved : workspace_.unsaved())
            names << QString::fromStdString(unsaved.name);
        notice_->say(tr("There are changes that are not saved: %1.").arg(names.join(", ")), true,
                     {{tr("save and leave"),
                       [this] {
                           workspace_.save();
                           close_anyway_ = !workspace_.has_unsaved_changes();
                           if (close_anyway_) close();
                       }},
                      {tr("leave without saving"), [this] {
                           workspace_.drop_recovery();
                           close_anyway_ = true;
                           close();
                       }}});
        event->ignore();
        return;
    }
    event->accept();
}

}  // namespace nb
