// An animator's controls in the real window: looked at on the body, given by hand with the other side, the share of a
// limb, undone, kept; a rig from elsewhere is copied beside the body's.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QSet>
#include <QToolButton>
#include <cmath>

#include "app/stations/hand_over/controls_page.hpp"
#include "app/stations/hand_over/controls_view.hpp"
#include "app/stations/hand_over/hand_over_station.hpp"
#include "app/window/station_line.hpp"
#include "app/work/controls_desk.hpp"
#include "core/base/files.hpp"
#include "core/library/controls.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_controls_window {

using namespace nb;

class ControlsWindowTest : public test::WindowFixture {
    Q_OBJECT

    ControlsDesk& desk() { return w().part<ControlsDesk>(); }
    ControlsView& view() { return w().part<ControlsView>(); }
    QPushButton* keep() { return w().part<ControlsPage>().findChild<QPushButton*>("keep the controls"); }
    void open_page() {
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("hand over"));
        for (auto* one : w().findChildren<QToolButton*>())
            if (one->text() == "controls" && one->isVisible()) QTest::mouseClick(one, Qt::LeftButton);
        QVERIFY(view().isVisible());
    }
    void choose(const QString& name, const QString& data) {
        auto* list = named<QComboBox>(name);
        const int at = list->findData(data);
        QVERIFY2(at >= 0, qPrintable(data));
        list->setCurrentIndex(at);
        emit list->activated(at);
    }
    std::string goal_of(const std::string& node) {
        const Control* control = desk().control(node);
        return control ? control->goal : "";
    }

  private slots:
    void a_control_is_picked_on_the_body_and_given_by_hand() {
        open_page();
        QVERIFY2(desk().trouble().isEmpty(), qPrintable(desk().trouble()));
        QVERIFY(!keep()->isEnabled());
        // The look stands before the head: each click takes the next in that place.
        QSet<QString> there;
        for (int i = 0; i < 4; ++i) {
            QTest::mouseClick(&view(), Qt::LeftButton, {}, view().place_of("look_ctl"));
            there << QString::fromStdString(view().node());
        }
        QVERIFY(there.contains("look_ctl") && there.contains("head_ctl"));
        QTest::mouseClick(&view(), Qt::LeftButton, {}, view().place_of("foot_L_ctl"));
        QCOMPARE(QString::fromStdString(view().node()), QString("foot_L_ctl"));
        choose("what the control takes", "shin.left");
        QCOMPARE(goal_of("foot_L_ctl"), std::string("shin.left"));
        QCOMPARE(goal_of("foot_R_ctl"), std::string("shin.right"));
        QVERIFY(keep()->isEnabled());
        w().undo_stack().undo();
        QCOMPARE(goal_of("foot_L_ctl"), std::string("ankle.left"));
        QCOMPARE(goal_of("foot_R_ctl"), std::string("ankle.right"));
        QVERIFY(!keep()->isEnabled());
        // One side alone.
        for (auto* box : w().part<ControlsPage>().findChildren<QCheckBox*>())
            if (box->text() == "and its other side") box->setChecked(false);
        choose("what the control takes", "");
        QCOMPARE(goal_of("foot_L_ctl"), std::string());
        QCOMPARE(goal_of("foot_R_ctl"), std::string("ankle.right"));
        // By the keys, from node to node.
        view().setFocus();
        QTest::keyClick(&view(), Qt::Key_Right);
        QVERIFY(view().node() != "foot_L_ctl");
    }

    void the_share_of_a_limb_is_set_and_kept() {
        open_page();
        view().select("arm_L_share");
        auto* share = named<QDoubleSpinBox>("share of goal and pole");
        QVERIFY(share->isVisible() && share->isEnabled());
        share->setFocus();
        share->selectAll();
        QTest::keyClicks(share, "25");
        QTest::keyClick(share, Qt::Key_Return);
        QVERIFY(std::abs(desk().rig()->limb("arm.left").share - 0.25) < 1e-9);
        QVERIFY(std::abs(desk().rig()->limb("arm.right").share - 0.25) < 1e-9);
        QCOMPARE(desk().rig()->limb("arm.right").node, std::string("arm_R_share"));
        const std::string path = library().toStdString() + "/characters/ferrier/controls.json";
        QTest::mouseClick(keep(), Qt::LeftButton);
        QVERIFY(!keep()->isEnabled());
        QVERIFY(std::abs(read_controls(path).limb("arm.right").share - 0.25) < 1e-9);
        // Somebody else changes it: nothing is written over.
        const std::string theirs = read_file(path) + "\n";
        write_file(path, theirs);
        w().undo_stack().undo();
        QTest::mouseClick(keep(), Qt::LeftButton);
        QVERIFY(read_file(path) == theirs);
        QVERIFY(keep()->isEnabled());
    }

    void a_rig_from_elsewhere_is_filled_by_names_and_kept_beside_the_body() {
        open_page();
        QVERIFY(choose_target("the net-mender"));
        QVERIFY(settled());
        QVERIFY(!desk().rig());
        QVERIFY(desk().trouble().contains("choose the .glb"));
        const std::string folder = library().toStdString() + "/characters/";
        desk().choose(QString::fromStdString(folder + "ferrier/controls.glb"));
        QVERIFY(desk().rig());
        QCOMPARE(goal_of("hand_L_ctl"), std::string("wrist.left"));
        QTest::mouseClick(keep(), Qt::LeftButton);
        QVERIFY(read_file(folder + "net-mender/controls.glb") == read_file(folder + "ferrier/controls.glb"));
        const auto kept = controls_beside(folder + "net-mender/rig.glb");
        QVERIFY(kept && kept->controls.size() == 24);
        // What is no rig is told, and nothing changes.
        desk().choose(QString::fromStdString(folder + "ferrier/character.json"));
        QVERIFY(*desk().rig() == *kept);
        // Back on the ferrier its own are there.
        QVERIFY(choose_target("the ferrier"));
        QVERIFY(settled());
        QVERIFY(desk().rig()->path.find("ferrier") != std::string::npos);
    }
};

NB_TEST_WITH(nb::test::WindowApplication, ControlsWindowTest)
}  // namespace test_controls_window
#include "test_controls_window.moc"
