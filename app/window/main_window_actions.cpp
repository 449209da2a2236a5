// What the window can be told to do: every command with its keys, and the finder over all of them.
#include "app/window/main_window.hpp"

#include <QAction>
#include <QLineEdit>
#include <algorithm>
#include <array>

#include "app/look/labels.hpp"
#include "app/stage/stage_view.hpp"
#include "app/window/finder.hpp"
#include "app/window/handbook.hpp"
#include "app/window/station_line.hpp"

namespace nb {

QAction* MainWindow::action(const QString& name) const {
    return findChild<QAction*>(name);
}

QAction* MainWindow::add(const QString& name, const QString& text, const QList<QKeySequence>& keys,
                         const std::function<void()>& run) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcuts(keys);
    action->setToolTip(keys.isEmpty()
                           ? text
                           : QString("%1 (%2)").arg(text, keys.front().toString(QKeySequence::NativeText)));
    connect(action, &QAction::triggered, this, [run] { run(); });
    addAction(action);
    return action;
}

void MainWindow::make_actions() {
    add("play", tr("Play or pause"), {Qt::Key_Space}, [this] { playback_.play(!playback_.is_playing()); });
    add("frame back", tr("One frame back"), {Qt::Key_Left}, [this] { playback_.step(-1); });
    add("frame on", tr("One frame on"), {Qt::Key_Right}, [this] { playback_.step(1); });
    add("ten frames back", tr("Ten frames back"), {QKeySequence(Qt::SHIFT | Qt::Key_Left)},
        [this] { playback_.step(-10); });
    add("ten frames on", tr("Ten frames on"), {QKeySequence(Qt::SHIFT | Qt::Key_Right)},
        [this] { playback_.step(10); });
    add("range start", tr("To the start of the range"), {Qt::Key_Home},
        [this] { playback_.go_to(playback_.first()); });
    add("range end", tr("To the end of the range"), {Qt::Key_End},
        [this] { playback_.go_to(playback_.last() - 1); });
    add("range from here", tr("Range starts here"), {Qt::Key_BracketLeft},
        [this] { playback_.set_range(playback_.frame(), playback_.last()); });
    add("range to here", tr("Range ends here"), {Qt::Key_BracketRight},
        [this] { playback_.set_range(playback_.first(), playback_.frame() + 1); });
    add("whole range", tr("Range is the whole take"), {QKeySequence(Qt::SHIFT | Qt::Key_BracketLeft)},
        [this] { playback_.set_range(0, playback_.frames()); });
    add("trim to range", tr("Trim the take to the range that plays"),
        {QKeySequence(Qt::CTRL | Qt::Key_BracketRight)}, [this] { trim_to_range(); });
    add("loop", tr("Loop on or off"), {Qt::Key_L}, [this] { playback_.set_looped(!playback_.is_looped()); });
    add("target before", tr("Target before"), {QKeySequence(Qt::ALT | Qt::Key_Left)},
        [this] { workspace_.step_target(-1); });
    add("target after", tr("Next target"), {QKeySequence(Qt::ALT | Qt::Key_Right)},
        [this] { workspace_.step_target(1); });
    add("next view", tr("Next view: three-quarter, front, side, top"), {Qt::Key_V},
        [this] { stage_->next_view(); });
    add("opposite view", tr("Look from the other side: back, other side, below"),
        {QKeySequence(Qt::SHIFT | Qt::Key_V)}, [this] { stage_->opposite_view(); });
    const std::array<std::pair<const char*, View>, 7> views{{{"three-quarter view", View::three_quarter},
                                                             {"front view", View::front},
                                                             {"side view", View::side},
                                                             {"top view", View::top},
                                                             {"back view", View::back},
                                                             {"other side view", View::other_side},
                                                             {"view from below", View::below}}};
    for (size_t i = 0; i < views.size(); ++i)
        add(views[i].first, tr("Look from: %1").arg(text_of(view_name(views[i].second))),
            {QKeySequence(QString::number(i + 1))},
            [this, view = views[i].second] { stage_->set_view(view); });
    add("long lens", tr("Long lens or wide"), {Qt::Key_N},
        [this] { stage_->set_long_lens(!stage_->is_long_lens()); });
    add("frame selection", tr("Frame the selection, or both bodies"), {Qt::Key_F},
        [this] { stage_->frame_selection(); });
    add("spread", tr("Side by side, or over each other"), {Qt::Key_S},
        [this] { stage_->set_spread(stage_->spread() > 0.2 ? 0.0 : 0.75); });
    add("show", tr("Show both, the source or the target alone"), {Qt::Key_B},
        [this] { stage_->set_shown(StageView::Shown((int(stage_->shown()) + 1) % 3)); });
    for (const bool of_target : {true, false})
        add(of_target ? "target look" : "source look",
            of_target ? tr("Target as mesh, x-ray, bones or hidden")
                      : tr("Source as mesh, x-ray, bones or hidden"),
            {of_target ? QKeySequence(Qt::Key_M) : QKeySequence(Qt::SHIFT | Qt::Key_M)}, [this, of_target] {
                const BodyLook now = stage_->body_look(of_target);
                stage_->set_body_look(of_target, now == BodyLook::mesh    ? BodyLook::xray
                                                 : now == BodyLook::xray  ? BodyLook::bones
                                                 : now == BodyLook::bones ? BodyLook::hidden
                                                                          : BodyLook::mesh);
            });
    add("insets", tr("Foot insets"), {Qt::Key_I}, [this] { stage_->set_insets(!stage_->has_insets()); });
    add("names", tr("Names of bones on the bodies"), {QKeySequence(Qt::SHIFT | Qt::Key_N)},
        [this] { stage_->set_names(!stage_->has_names()); });
    add("links", tr("Lines between bones that drive each other"), {QKeySequence(Qt::SHIFT | Qt::Key_L)},
        [this] { stage_->set_links(!stage_->has_links()); });
    add("rings", tr("The skin that touches go by, as rings about the bodies"),
        {QKeySequence(Qt::SHIFT | Qt::Key_K)}, [this] { stage_->set_rings(!stage_->has_rings()); });
    add("source size", tr("Source as large as the target, for the eye alone"),
        {QKeySequence(Qt::SHIFT | Qt::Key_S)},
        [this] { stage_->set_source_sized(!stage_->is_source_sized()); });
    add("trail", tr("Trail of the selected bone"), {Qt::Key_T},
        [this] { stage_->set_trail(!stage_->has_trail()); });
    add("open take", tr("Open a motion file"), {QKeySequence::Open}, [this] { ask_open(false); });
    add("open rig", tr("Open a rig as the target"), {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O)},
        [this] { ask_open(true); });
    add("save", tr("Save all that is changed"), {QKeySequence::Save}, [this] { workspace_.save(); });
    add("unsaved", tr("See what is not saved"), {}, [this] { show_unsaved(); });
    add("go on from result", tr("Use the result as the take, for another target"),
        {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_R)}, [this] { workspace_.use_result_as_take(); });
    add("export", tr("Export the result"), {QKeySequence(Qt::CTRL | Qt::Key_E)}, [this] { ask_export(); });
    add("limbering", tr("Play the limbering take on the target, or go back"), {},
        [this] { workspace_.is_limbering() ? workspace_.end_limbering() : workspace_.start_limbering(); });
    add("write vrm", tr("Write the target with its humanoid mapping (VRM 1.0)"), {},
        [this] { ask_standard(true); });
    add("write iso", tr("Write the target with joint names of ISO/IEC 19774-1"), {},
        [this] { ask_standard(false); });
    add("library", tr("Library or station"), {Qt::Key_D}, [this] {
        if (is_page_shown()) return show_page(nullptr);
        show_library(!is_library_shown_);
    });
    add("coverage", tr("Coverage: which take works on whom, or back"), {QKeySequence(Qt::SHIFT | Qt::Key_D)},
        [this] { show_coverage(!is_coverage_shown()); });
    add("add target", tr("Take the target into the library"), {},
        [this] { change_library(ChangeLibrary::Kind::add, true, workspace_.target_index(), {}); });
    add("add take", tr("Take the take into the library"), {},
        [this] { change_library(ChangeLibrary::Kind::add, false, workspace_.take_index(), {}); });
    add("remove target", tr("Remove the target from the library, to its trash"), {},
        [this] { change_library(ChangeLibrary::Kind::remove, true, workspace_.target_index(), {}); });
    add("new library", tr("Make a new library in an empty folder"), {}, [this] { ask_library(true); });
    add("open library", tr("Open a library folder"), {}, [this] { ask_library(false); });
    add("find", tr("Find anything"), {QKeySequence(Qt::CTRL | Qt::Key_K)}, [this] { find_anything(); });
    add("look", tr("Ink or paper"), {QKeySequence(Qt::CTRL | Qt::Key_I)},
        [this] { set_look(is_paper_ ? "ink" : "paper"); });
    add("larger text", tr("Larger text"), {QKeySequence(Qt::CTRL | Qt::Key_Plus), Qt::CTRL | Qt::Key_Equal},
        [this] { step_text_size(1); });
    add("smaller text", tr("Smaller text"), {QKeySequence(Qt::CTRL | Qt::Key_Minus)},
        [this] { step_text_size(-1); });
    add("handbook", tr("Handbook: open or close"), {QKeySequence("?"), QKeySequence("Shift+?")},
        [this] { show_handbook(!handbook_->isVisible()); });
    add("cancel", tr("Cancel what is going on, or let go of the selection"), {Qt::Key_Escape}, [this] {
        if (handbook_->hasFocus())
            show_handbook(false);
        else if (stage_->is_turning())
            stage_->cancel_turn();
        else if (workspace_.is_busy())
            workspace_.cancel();
        else if (is_change_shown())
            characters_.let_go();
        else
            stage_->select(true, -1);
    });
    auto* undo = undo_.createUndoAction(this, tr("Undo:"));
    undo->setObjectName("undo");
    undo->setShortcut(QKeySequence::Undo);
    auto* redo = undo_.createRedoAction(this, tr("Redo:"));
    redo->setObjectName("redo");
    redo->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
    addAction(undo);
    addAction(redo);
}

void MainWindow::add_station_keys() {
    for (size_t i = 0; i < list_.size(); ++i)
        add(QString("station %1").arg(i + 1), tr("Station: %1").arg(list_[i]->about().name),
            {QKeySequence(QString("F%1").arg(i + 1))},
            [this, station = list_[i]] { stations_->set_station(station->about().id); });
}

void MainWindow::step_text_size(int by) {
    const auto now = std::lower_bound(text_sizes.begin(), text_sizes.end(), text_percent_);
    const auto at = std::clamp<std::ptrdiff_t>(now - text_sizes.begin() + by, 0, std::ssize(text_sizes) - 1);
    set_text_size(text_sizes[size_t(at)]);
}

void MainWindow::find_anything() {
    std::vector<Findable> all;
    for (QAction* a : actions()) {
        QString text = a->text();
        if (a->isEnabled())
            all.push_back({tr("command"), text, a->shortcut().toString(QKeySequence::NativeText),
                           [a] { a->trigger(); }});
    }
    for (size_t i = 0; i < workspace_.targets().size(); ++i)
        all.push_back({tr("character"), workspace_.targets()[i].name, {}, [this, i] {
                           workspace_.choose_target(int(i));
                       }});
    for (size_t i = 0; i < workspace_.takes().size(); ++i)
        all.push_back(
            {tr("take"), workspace_.takes()[i].name, {}, [this, i] { workspace_.choose_take(int(i)); }});
    for (const auto& [name, path] : workspace_.scenes())
        all.push_back({tr("scene"), name, {}, [this, at = path] { workspace_.open_scene(at); }});
    for (size_t i = 0; i < workspace_.scene().casts().size(); ++i)
        all.push_back({tr("cast"), text_of(workspace_.scene().document().casts[i].name), {}, [this, i] {
                           workspace_.take_in_hand(i, playback_.frame());
                       }});
    for (const bool in_target : {true, false}) {
        const LoadedPtr loaded = in_target ? workspace_.target() : workspace_.source();
        if (!loaded) continue;
        const Character& c = loaded->file.character;
        const auto go = [this, in_target](int joint) {
            return [this, in_target, joint] {
                stage_->select(in_target, joint);
                stage_->frame_selection();
            };
        };
        for (const RoleFill& fill : c.roles.fills)
            all.push_back({tr("role"), QString::fromStdString(fill.role), QString::fromStdString(c.name),
                           go(fill.joint)});
        for (int j = 0; j < c.rig.skeleton.size(); ++j)
            all.push_back({tr("bone"), QString::fromStdString(c.rig.skeleton.names[size_t(j)]),
                           QString::fromStdString(c.name), go(j)});
    }
    for (const HandbookEntry& entry : handbook_entries())
        all.push_back({tr("handbook"), entry.words, entry.page == "README" ? QString() : entry.page,
                       [this, entry] { show_handbook(true, entry.page, entry.words); }});
    auto* finder = new Finder(std::move(all), this);
    finder->setAttribute(Qt::WA_DeleteOnClose);
    finder->move(mapToGlobal(QPoint(width() / 2 - finder->width() / 2, 56)));
    finder->show();
    finder->field()->setFocus();
}

}  // namespace nb
