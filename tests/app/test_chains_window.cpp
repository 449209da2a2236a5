// The station Chains, driven as a person drives it: the ruler, what is set for a chain, the bone map.
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QMenu>
#include <QTableWidget>
#include <QToolButton>
#include <QUndoStack>
#include <QtTest>

#include "app/stations/chains/chain_form.hpp"
#include "app/stations/chains/chains_panel.hpp"
#include "app/stations/chains/chains_sheet.hpp"
#include "app/window/main_window.hpp"
#include "app/window/station_line.hpp"
#include "core/base/files.hpp"
#include "core/documents/pairing.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/handover/keys.hpp"
#include "core/library/beside.hpp"
#include "core/library/library.hpp"
#include "core/motion/motion_view.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/program.hpp"
#include "tests/app/window_fixture.hpp"
#include "tests/support/wide_bodies.hpp"

namespace test_chains_window {

using namespace nb;

class ChainsWindowTest : public test::WindowFixture {
    Q_OBJECT

    ChainRuler& ruler() { return w().part<ChainRuler>(); }
    const PairingSettings& settings() { return w().workspace().settings(); }
    /// Nothing set but what the demo's pair has of touch-ups.
    PairingSettings plain() {
        PairingSettings none;
        none.take_touches = settings().take_touches;
        return none;
    }
    void before_window() override {
        if (QTest::currentTestFunction() != QString("wide_arms_show_the_margin_they_have")) return;
        const LoadedFile wide = test::widened(test::demo_body("dockhand"), test::arms_and_legs(), 2.2);
        Take still;
        still.joints = wide.character.rig.skeleton.size();
        const TakeView view(still);
        write_glb((library() + "/characters/dockhand/rig.glb").toStdString(), wide.character.rig, view,
                  key_every_frame(wide.character.rig.skeleton, view));
    }
    void enter(const QString& target) {
        const auto& targets = w().workspace().targets();
        for (size_t i = 0; i < targets.size(); ++i)
            if (targets[i].name == target) w().workspace().choose_target(int(i));
        QVERIFY(settled());
        w().stations().set_station("chains");
        QVERIFY(QTest::qWaitFor([this] { return ruler().isVisible() && !ruler().rows().empty(); }, 3000));
    }

    /// Runs what the first row of the map offers under these words; false when it does not.
    static bool choose_in_first_row(MapPage& map, const QString& words) {
        const auto menu = map.choices(0);
        std::vector<QAction*> all;
        for (QAction* action : menu->actions()) {
            all.push_back(action);
            if (action->menu())
                for (QAction* inner : action->menu()->actions()) all.push_back(inner);
        }
        for (QAction* action : all)
            if (action->text().contains(words)) return action->trigger(), true;
        return false;
    }

  private slots:
    void a_joint_is_dragged_onto_another_and_back() {
        enter("the net-mender");
        const int before = w().part<ChainsPanel>().map().count(Driven::between);
        drag(ruler(), ruler().end_of("spine", true, 1).toPoint(),
             ruler().end_of("spine", false, 0).toPoint());
        QVERIFY(settled());
        QVERIFY(settings().chains.contains("spine"));
        QCOMPARE(settings().chains.at("spine").ticks->size(), size_t(1));
        QCOMPARE(settings().chains.at("spine").ticks->front().second, std::string("spine.2"));
        QVERIFY(w().part<ChainsPanel>().map().count(Driven::between) < before);
        // Dropped beside all joints it is matched no more; undone it is.
        drag(ruler(), ruler().end_of("spine", true, 1).toPoint(),
             QPoint(ruler().width() - 150, int(ruler().end_of("spine", true, 1).y())));
        QVERIFY(settled());
        QVERIFY(!settings().chains.contains("spine"));
        w().undo_stack().undo();
        QCOMPARE(settings().chains.at("spine").ticks->size(), size_t(1));
        w().undo_stack().undo();
        QVERIFY(settings().chains.empty());
        QVERIFY(settled());
    }
    void an_arm_is_left_out_and_set_by_its_tip() {
        enter("the ferrier");
        ruler().choose("arm.left");
        emit ruler().chain_chosen("arm.left");
        auto* left_out = box("left out");
        QVERIFY(left_out && !left_out->isChecked());
        QTest::mouseClick(left_out, Qt::LeftButton, {}, QPoint(8, left_out->height() / 2));
        QVERIFY(settled());
        QVERIFY(settings().chains.at("arm.left").is_left_out.value_or(false));
        QVERIFY(w().part<ChainsPanel>().map().count(Driven::left_out) >= 3);
        w().undo_stack().undo();
        QVERIFY(settled());
        PairingSettings by_tip = settings();
        by_tip.chains["arm.left"].carry = Carry::limb;
        w().workspace().set_settings(w().workspace().pairing_key(), by_tip);
        QVERIFY(settled());
        auto* share = named<QDoubleSpinBox>("of the tip's place");
        QVERIFY(share && share->isEnabled());
        share->setValue(40.0);
        QVERIFY(settled());
        QVERIFY(std::abs(*settings().chains.at("arm.left").tip_share - 0.4) < 1e-9);
        button("as the plan has it")->click();
        QVERIFY(settings() == plain());
        QVERIFY(settled());
    }
    /// Margin, ranges and what an arm may lie in: set by a field and a menu, in force in the program, undone.
    void an_arm_keeps_off_the_skin_and_may_lie_in_the_trunk() {
        enter("the ferrier");
        ruler().choose("arm.right");
        emit ruler().chain_chosen("arm.right");
        auto* margin = named<QDoubleSpinBox>("margin over the skin");
        auto* within = named<QDoubleSpinBox>("kept in people's ranges");
        auto* may = named<QToolButton>("may lie in");
        QVERIFY(margin && within && may && margin->isVisible() && within->isVisible() && may->isVisible());
        QCOMPARE(may->text(), QString("nothing"));
        margin->setValue(2.5);
        QVERIFY(settled());
        within->setValue(100.0);
        QVERIFY(settled());
        for (QAction* group : may->menu()->actions())
            if (group->text() == "trunk") group->trigger();
        QVERIFY(settled());
        const ChainSettings& arm = settings().chains.at("arm.right");
        QVERIFY(std::abs(*arm.margin_m - 0.025) < 1e-9 && std::abs(*arm.keep_within - 1.0) < 1e-9);
        QCOMPARE(*arm.may_touch, std::vector<std::string>{"trunk"});
        QCOMPARE(may->text(), QString("trunk"));
        const Program& program = w().workspace().plan()->program;
        QCOMPARE(program.clear->margin_m[3], 0.025);
        QCOMPARE(program.ranges.size(), size_t(3));
        for (const size_t part : program.clear->T.limbs[3].by_skin)
            QVERIFY(program.clear->T.parts[part].group != ClearGroup::trunk);
        // Of a leg the other one alone is offered; a spine has none of it.
        ruler().choose("leg.left");
        emit ruler().chain_chosen("leg.left");
        int offered = 0;
        for (const QAction* group : may->menu()->actions()) offered += group->isVisible();
        QCOMPARE(offered, 1);
        ruler().choose("spine");
        emit ruler().chain_chosen("spine");
        QVERIFY(!margin->isVisible() && !within->isVisible() && !may->isVisible());
        while (w().undo_stack().canUndo()) w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(settings() == plain());
    }
    /// Arms in plates keep 6 mm (at 175 cm) by themselves: what the form shows is what is in force.
    void wide_arms_show_the_margin_they_have() {
        enter("the dockhand");
        const auto shown = [&](const QString& chain) {
            ruler().choose(chain);
            emit ruler().chain_chosen(chain);
            return named<QDoubleSpinBox>("margin over the skin")->value();
        };
        const Program& program = w().workspace().plan()->program;
        QVERIFY(program.clear && program.clear->T.limbs[2].is_wide);
        QVERIFY(program.clear->margin_m[2] > 0.004);
        QVERIFY(std::abs(shown("arm.left") - 100.0 * program.clear->margin_m[2]) < 0.051);  // one decimal
        QCOMPARE(shown("leg.left"), 0.0);
        QVERIFY(settings().chains.empty());
    }
    void a_run_is_cut_and_whole_again() {
        enter("the ferrier");
        const auto bones = [&] {
            for (const ChainRuler::Row& row : ruler().rows())
                if (row.chain.name == "spine") return row.chain.T_joints.size();
            return size_t(0);
        };
        const size_t whole = bones();
        emit ruler().end_wanted("spine", true, 1, true);
        QVERIFY(settled());
        QCOMPARE(bones(), whole - 1);
        QCOMPARE(*settings().chains.at("spine").first, std::string("spine.2"));
        emit ruler().end_wanted("spine", false, 0, false);  // the source's goes up to its first bone
        QVERIFY(settled());
        QCOMPARE(*settings().chains.at("spine").source_last, std::string("spine.1"));
        w().undo_stack().undo();
        QVERIFY(!settings().chains.at("spine").source_last);
        emit ruler().end_wanted("spine", true, -1, true);
        QVERIFY(settled());
        QCOMPARE(bones(), whole);
    }
    void each_level_keeps_its_own() {
        enter("the ferrier");
        ruler().choose("arm.right");
        emit ruler().chain_chosen("arm.right");
        auto& form = w().part<ChainForm>();
        const auto body = [&] { return w().workspace().target()->file.character.chains; };
        auto* pole = named<QDoubleSpinBox>("elbow turned out");
        if (!pole) pole = named<QDoubleSpinBox>("knee turned out");
        QVERIFY(pole && pole->isVisible());
        const auto level = [&](const char* word) -> QToolButton* {
            for (auto* one : form.findChildren<QToolButton*>())
                if (one->text() == word) return one;
            return nullptr;
        };
        QVERIFY(!level("body")->isVisible());
        // An edit touches this pair alone; the line below says so, and a click moves it.
        pole->setValue(15.0);
        QVERIFY(settled());
        QVERIFY(level("pair")->isVisible() && level("pair")->isChecked());
        QVERIFY(std::abs(*settings().chains.at("arm.right").pole_rad - deg_to_rad(15.0)) < 1e-9);
        level("body")->click();
        QVERIFY(settled());
        QVERIFY(level("body")->isChecked());
        QVERIFY(std::abs(*body().at("arm.right").pole_rad - deg_to_rad(15.0)) < 1e-9);
        QVERIFY(settings().chains.empty());
        w().undo_stack().undo();
        QVERIFY(body().empty() && settings().chains.contains("arm.right"));
        w().undo_stack().redo();
        // Moved to the take and changed there; moved up again, the narrower word goes.
        level("take")->click();
        QVERIFY(settled());
        QVERIFY(body().empty());
        pole->setValue(-5.0);
        QVERIFY(settled());
        const std::string take = w().workspace().take_key();
        QVERIFY(!take.empty());
        QVERIFY(std::abs(*settings().takes.at(take).at("arm.right").pole_rad + deg_to_rad(5.0)) < 1e-9);
        QVERIFY(std::abs(w().workspace().plan()->program.limbs[3].pole_rad + deg_to_rad(5.0)) < 1e-9);
        // On another take nothing is said.
        QVERIFY(choose_take("Haul rope"));
        QVERIFY(settled());
        QVERIFY(std::abs(w().workspace().plan()->program.limbs[3].pole_rad) < 1e-9);
        pole->setValue(15.0);
        level("body")->click();
        QVERIFY(settled());
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(settled());
        QVERIFY(std::abs(w().workspace().plan()->program.limbs[3].pole_rad + deg_to_rad(5.0)) < 1e-9);
        // Said again as it is below, the take says nothing any more.
        pole->setValue(15.0);
        QVERIFY(settings().takes.empty());
        level("take")->click();
        QVERIFY(settings().takes.contains(take) && body().empty());
        w().undo_stack().undo();
        w().undo_stack().undo();
        QVERIFY(settings().takes.contains(take) && body().contains("arm.right"));
        // Kept on disk with the body and with the pair, and there again after a crash.
        QVERIFY(w().workspace().has_unsaved_changes());
        w().workspace().save();
        const std::string document =
            read_file((library() + "/characters/ferrier/character.json").toStdString());
        QVERIFY(document.find("\"pole_deg\": 15.0") != std::string::npos);
        button("all chains")->click();
        QVERIFY(settled());
        QVERIFY(body().empty() && settings() == plain());
        w().undo_stack().undo();
        QVERIFY(body().contains("arm.right") && settings().takes.contains(take));
        QVERIFY(settled());
    }
    void proposals_are_marked_confirmed_and_withdrawn() {
        enter("the net-mender");
        auto& panel = w().part<ChainsPanel>();
        panel.propose(false);
        QVERIFY(settled());
        QVERIFY(settings().chains.at("spine").is_proposed);
        ruler().choose("spine");
        emit ruler().chain_chosen("spine");
        auto* confirm = button("confirm");
        QVERIFY(confirm && confirm->isVisible());
        confirm->click();
        QVERIFY(!settings().chains.at("spine").is_proposed && !confirm->isVisible());
        button("withdraw")->click();
        QVERIFY(settings().chains.contains("spine"));
        // What a person did is not proposed over.
        const auto ticks = settings().chains.at("spine").ticks;
        panel.propose(false);
        QVERIFY(settings().chains.at("spine").ticks == ticks);
        w().undo_stack().undo();
        w().undo_stack().undo();
        button("withdraw")->click();
        QVERIFY(settings().chains.empty());
        QVERIFY(settled());
    }
    void the_map_is_searched_and_written() {
        enter("the ferrier");
        auto& sheet = w().part<ChainsSheet>();
        sheet.show_map(true);
        auto& table = sheet.map().table();
        QVERIFY(table.isVisible() && table.width() > 700);
        const int all = table.rowCount();
        QVERIFY(all > 50);
        auto* search = named<QLineEdit>("find in the bone map");
        QTest::keyClicks(search, "thigh");
        QVERIFY(table.rowCount() >= 2 && table.rowCount() < all / 4);
        table.selectRow(0);
        const int joint = w().stage().selected_joint();
        QVERIFY(joint >= 0 && w().stage().is_selected_in_target());
        QVERIFY(ruler().chosen().startsWith("leg."));
        search->clear();
        // The counts filter: what they say is what is shown.
        QToolButton* driven = nullptr;
        for (auto* one : sheet.map().findChildren<QToolButton*>())
            if (one->text().startsWith("driven ")) driven = one;
        QVERIFY(driven);
        driven->click();
        QCOMPARE(table.rowCount(), driven->text().section(' ', 1).toInt());
        QCOMPARE(table.rowCount(), w().part<ChainsPanel>().map().count(Driven::alone));
        const QString path = folder_.filePath("map.csv");
        sheet.map().write(path);
        QFile file(path);
        QVERIFY(file.open(QFile::ReadOnly));
        QVERIFY(file.readAll().startsWith("bone,role,chain,how"));
        sheet.map().write("/nowhere/at/all/map.csv");  // told, not thrown
        sheet.show_map(false);
    }
    void a_row_of_the_map_offers_what_can_be_chosen() {
        enter("the net-mender");
        auto& sheet = w().part<ChainsSheet>();
        sheet.show_map(true);
        auto* search = named<QLineEdit>("find in the bone map");
        search->setText("spine.2");
        auto& map = sheet.map();
        QVERIFY(map.table().rowCount() >= 1);
        const auto choose = [&](const QString& words) { return choose_in_first_row(map, words); };
        const std::string first = w().workspace().source()->file.character.rig.skeleton.names[size_t(
            w().workspace().source()->file.character.roles.joint("spine.1"))];
        QVERIFY(choose("the end of " + QString::fromStdString(first)));
        QVERIFY(settled());
        QCOMPARE(settings().chains.at("spine").ticks->front(),
                 (std::pair<std::string, std::string>("spine.1", "spine.2")));
        QVERIFY(choose("leave spine out"));
        QVERIFY(settled());
        QVERIFY(*settings().chains.at("spine").is_left_out);
        QCOMPARE(map.table().item(0, 3)->text(), QString("left out"));
        QCOMPARE(map.table().item(0, 6)->text(), QString("pair"));
        QVERIFY(choose("spine as the plan has it"));
        QVERIFY(settled());
        QVERIFY(settings().chains.empty());
        search->clear();
        sheet.show_map(false);
    }
    /// A place that moves, a loss on purpose; both undone.
    void a_row_of_the_map_has_rules_and_losses() {
        enter("the ferrier");
        auto& sheet = w().part<ChainsSheet>();
        sheet.show_map(true);
        auto* search = named<QLineEdit>("find in the bone map");
        auto& map = sheet.map();
        const auto choose = [&](const QString& words) { return choose_in_first_row(map, words); };
        search->setText("clavicle.left");
        QVERIFY(choose("moves as in the take, scaled"));
        QVERIFY(settled());
        QVERIFY(settings().bones.at("clavicle.left").position == BonePosition::scaled);
        QVERIFY(!w().workspace().plan()->program.placed.empty());
        QVERIFY(map.table().item(0, 5)->text().contains("its place moves as the source's"));
        QVERIFY(choose("kept, as at its rest"));
        QVERIFY(settled());
        QVERIFY(settings().bones.empty());
        search->clear();
        // What nobody takes, where there is any: lost on purpose it counts no more.
        const int lost = w().part<ChainsPanel>().map().count(SourceBone::Fate::forgotten);
        for (const SourceBone& bone : w().part<ChainsPanel>().map().sources)
            if (bone.fate == SourceBone::Fate::forgotten) search->setText(QString::fromStdString(bone.bone));
        if (lost > 0) {
            QVERIFY(choose("lost on purpose"));
            QVERIFY(settled());
            QCOMPARE(w().part<ChainsPanel>().map().count(SourceBone::Fate::forgotten), lost - 1);
            QCOMPARE(w().part<ChainsPanel>().map().count(SourceBone::Fate::given_up), 1);
            QVERIFY(choose("it is missed again"));
            QVERIFY(settled());
        }
        search->clear();
        sheet.show_map(false);
        // Of an arm with a hand nothing is folded; how much the trunk leans is set as any number.
        ruler().choose("arm.left");
        emit ruler().chain_chosen("arm.left");
        auto* leans = named<QDoubleSpinBox>("trunk leans");
        auto* folds = named<QCheckBox>("hand folded into the forearm");
        QVERIFY(leans && leans->isVisible() && folds && !folds->isVisible());
        leans->setValue(50.0);
        QVERIFY(settled());
        QCOMPARE(*settings().chains.at("arm.left").trunk_gives, 0.5);
        while (w().undo_stack().canUndo()) w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(settings() == plain());
    }
    void open_points_are_those_a_person_can_settle() {
        enter("the net-mender");
        auto& panel = w().part<ChainsPanel>();
        QCOMPARE(panel.open_points(), 0);  // fingers the performer lacks are nobody's to settle
        panel.propose(false);
        QVERIFY(settled());
        const int proposed = panel.open_points();
        QVERIFY(proposed >= 1);
        ruler().choose("spine");
        emit ruler().chain_chosen("spine");
        button("confirm")->click();
        QVERIFY(settled());
        QCOMPARE(panel.open_points(), proposed - 1);
        w().undo_stack().undo();
        w().undo_stack().undo();
        QVERIFY(settled());
        QCOMPARE(panel.open_points(), 0);
    }
    void a_bone_of_the_ruler_is_picked_on_the_body_and_back() {
        enter("the dockhand");
        const QPointF end = ruler().end_of("arm.left", true, 1);
        QVERIFY(!end.isNull());
        QTest::mouseClick(&ruler(), Qt::LeftButton, {}, (end - QPointF(20, 0)).toPoint());
        const RoleMap& roles = w().workspace().target()->file.character.roles;
        QCOMPARE(w().stage().selected_joint(), roles.joint("upperarm.left"));
        QCOMPARE(ruler().chosen(), QString("arm.left"));
        w().stage().select(true, roles.joint("shin.right"));
        QCOMPARE(ruler().chosen(), QString("leg.right"));
        QTest::keyClick(&ruler(), Qt::Key_Up);
        QVERIFY(ruler().chosen() != "leg.right");
    }
    void kept_with_the_pairing() {
        enter("the net-mender");
        w().part<ChainsPanel>().move_tick("spine", 1, 0);
        QVERIFY(settled());
        w().workspace().save();
        const Library library_now = open_library(library().toStdString());
        Pairing pairing;
        ReadDocument read;
        std::vector<std::string> troubles;
        const Character& target = w().workspace().target()->file.character;
        QVERIFY(find_pairing(&library_now, target.rig.path, w().workspace().source()->file.character.id,
                             target.id, pairing, read, troubles));
        QCOMPARE(pairing.settings.chains.at("spine").ticks->size(), size_t(1));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, ChainsWindowTest)
}  // namespace test_chains_window
#include "test_chains_window.moc"
