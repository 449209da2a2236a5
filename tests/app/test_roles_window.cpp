// The Roles station: rails drawn and picked, a bone given with its mirror, taken away, undone, saved with the
// rig; the list of bones; what is settled does not change by accident.
#include <QCheckBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>

#include "app/stations/roles/rails_view.hpp"
#include "app/stations/roles/roles_panel.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/station_line.hpp"
#include "core/base/files.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_roles_window {

using namespace nb;

class RolesWindowTest : public test::WindowFixture {
    Q_OBJECT

    const Character& target() { return w().workspace().target()->file.character; }
    QString bone(const char* role) {
        const int joint = target().roles.joint(role);
        return joint < 0 ? QString() : QString::fromStdString(target().rig.skeleton.names[size_t(joint)]);
    }
    void to_roles() {
        QTest::keyClick(&w(), Qt::Key_F2);
        QVERIFY(w().part<RailsView>().isVisible() && w().part<RolesPanel>().isVisible());
    }
    void click_rung(const char* role, bool is_double = false) {
        const QPoint at = w().part<RailsView>().place_of(role).center().toPoint();
        QTest::mouseClick(&w().part<RailsView>(), Qt::LeftButton, {}, at);
        if (is_double) QTest::mouseDClick(&w().part<RailsView>(), Qt::LeftButton, {}, at);
    }
    void click_bone(const QString& name) {
        w().part<RolesPanel>().search()->setText(name);
        QListWidget* list = w().part<RolesPanel>().tray();
        QVERIFY(list->count() > 0);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
    }

  private slots:
    void a_rung_shows_its_bone_and_a_bone_its_rung() {
        to_roles();
        click_rung("forearm.left");
        QCOMPARE(w().stage().selected_joint(), target().roles.joint("forearm.left"));
        QVERIFY(!w().part<RailsView>().is_waiting());  // sure: a click changes nothing
        w().stage().select(true, target().roles.joint("shin.right"));
        QCOMPARE(w().part<RailsView>().picked(), QString("shin.right"));
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Left);
        QCOMPARE(w().part<RailsView>().picked(), QString("thigh.right"));
    }

    void a_bone_is_given_with_its_mirror_undone_and_saved() {
        to_roles();
        QCOMPARE(bone("clavicle.left"), QString("collarbone.l"));
        click_rung("clavicle.left", true);
        QVERIFY(w().part<RailsView>().is_waiting());
        click_bone("upperarm1.twist.l");
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        QCOMPARE(bone("clavicle.right"), QString("upperarm1.twist.r"));
        QVERIFY(target().roles.fill("clavicle.left")->is_by_hand);
        QVERIFY(settled());
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(bone("clavicle.right"), QString("collarbone.r"));
        QVERIFY(!w().workspace().has_unsaved_changes());
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(w().workspace().has_unsaved_changes());
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(!w().workspace().has_unsaved_changes(), qPrintable(w().notice().line()));
        const std::string text = read_file((library() + "/characters/ferrier/character.json").toStdString());
        QVERIFY(text.find("\"bone\": \"upperarm1.twist.r\"") != std::string::npos);
        QVERIFY(text.find("\"by_hand\": true") != std::string::npos);
    }

    void one_side_alone_when_wanted() {
        to_roles();
        w().part<RolesPanel>().mirror_box()->setChecked(false);
        click_rung("clavicle.left", true);
        click_bone("upperarm1.twist.l");
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        QCOMPARE(bone("clavicle.right"), QString("collarbone.r"));
    }

    void a_role_taken_away_opens_a_gap_and_the_next_open_one_waits() {
        to_roles();
        click_rung("head");
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QCOMPARE(bone("head"), QString());
        QVERIFY(w().part<RailsView>().pick_next_open() || w().part<RailsView>().picked() == "head");
        click_rung("head");
        QVERIFY(w().part<RailsView>().is_waiting());  // a gap waits at once
        click_bone("skull");
        QCOMPARE(bone("head"), QString("skull"));
        QVERIFY(!w().part<RailsView>().is_waiting());  // nothing is open any more
    }

    void what_the_legs_need_cannot_be_lost() {
        to_roles();
        click_rung("thigh.left");
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QCOMPARE(bone("thigh.left"), QString("femur.l"));
        QVERIFY2(w().notice().line().contains("thigh.left"), qPrintable(w().notice().line()));
        QVERIFY(w().workspace().result() || settled());
    }

    void a_whole_limb_goes_through_one_bone() {
        to_roles();
        for (const char* role : {"clavicle.left", "upperarm.left", "forearm.left", "hand.left"}) {
            click_rung(role);
            QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        }
        QCOMPARE(bone("forearm.left"), QString());
        // A click on the limb's name, then one of its bones: all four are given, and the other side's.
        QTest::mouseClick(&w().part<RailsView>(), Qt::LeftButton, {},
                          w().part<RailsView>().place_of_chain("arm.left").center().toPoint());
        QCOMPARE(w().part<RailsView>().picked_chain(), QString("arm.left"));
        QVERIFY(w().part<RailsView>().is_waiting());
        click_bone("hand.l");
        QCOMPARE(bone("clavicle.left"), QString("collarbone.l"));
        QCOMPARE(bone("upperarm.left"), QString("humerus.l"));
        QCOMPARE(bone("forearm.left"), QString("radius.l"));
        QCOMPARE(bone("hand.left"), QString("hand.l"));
        QCOMPARE(bone("hand.right"), QString("hand.r"));
        QVERIFY(!w().part<RailsView>().is_waiting());
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(bone("forearm.left"), QString());
    }

    void a_whole_finger_goes_through_one_bone() {
        to_roles();
        click_rung("index.1.right");
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_W);
        QCOMPARE(w().part<RailsView>().picked_chain(), QString("index.right"));
        click_bone("little.2.r");
        QCOMPARE(bone("index.1.right"), QString("little.1.r"));
        QCOMPARE(bone("index.3.right"), QString("little.3.r"));
        QCOMPARE(bone("index.2.left"), QString("little.2.l"));
    }

    void settled_roles_are_kept() {
        to_roles();
        QTest::mouseClick(w().part<RolesPanel>().settled_box(), Qt::LeftButton, {}, QPoint(8, 8));
        QVERIFY(target().roles.is_settled);
        click_rung("head");
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QCOMPARE(bone("head"), QString("skull"));
        QVERIFY2(w().notice().line().contains("settled"), qPrintable(w().notice().line()));
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        const std::string text = read_file((library() + "/characters/ferrier/character.json").toStdString());
        QVERIFY(text.find("\"settled\": true") != std::string::npos);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(!target().roles.is_settled);
    }

    void the_check_leads_to_what_is_odd() {
        to_roles();
        QVERIFY(!w().part<RolesPanel>().check_list()->isVisible());
        click_rung("head");
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QListWidget* list = w().part<RolesPanel>().check_list();
        QVERIFY(list->isVisible());
        QVERIFY(list->item(0)->text().contains("head"));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
        QCOMPARE(w().part<RailsView>().picked(), QString("head"));
        QVERIFY(w().part<RailsView>().is_waiting());
    }

    void the_source_has_rails_too() {
        to_roles();
        w().part<RolesPanel>().show_body(false);
        QVERIFY(!w().part<RailsView>().is_of_target());
        const auto source = [this]() -> const Character& { return w().workspace().source()->file.character; };
        const int clavicle = source().roles.joint("clavicle.left");
        QVERIFY(clavicle >= 0);
        click_rung("clavicle.left");
        QVERIFY(!w().stage().is_selected_in_target());
        QCOMPARE(w().stage().selected_joint(), clavicle);
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QVERIFY(source().roles.joint("clavicle.left") < 0);
        QVERIFY(settled());
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(source().roles.joint("clavicle.left"), clavicle);
    }

    void roles_are_taken_from_a_kin() {
        // Another size of the ferrier, with no document of its own.
        QDir().mkpath(folder_.filePath("kin"));
        QFile::copy(library() + "/characters/ferrier/rig.glb", folder_.filePath("kin/tall.glb"));
        w().workspace().open_file(folder_.filePath("kin/tall.glb"), true);
        QVERIFY(QTest::qWaitFor([this] { return target().rig.name == "tall"; }, 10000));
        QVERIFY(settled());
        to_roles();
        const auto kin = w().workspace().kin_of(true);
        QVERIFY(!kin.empty());
        QCOMPARE(kin.front().name, QString("the ferrier"));
        QVERIFY(kin.front().share > 0.999);
        w().part<RolesPanel>().take_from(kin.front().document);
        QVERIFY(target().roles.fill("hand.left")->evidence.front().find("the ferrier") != std::string::npos);
        QVERIFY(w().notice().line().contains("very names"));
    }

    void one_key_confirms_what_is_proposed() {
        to_roles();
        click_rung("forearm.left");
        QVERIFY(!target().roles.fill("forearm.left")->is_by_hand);
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_C);
        QVERIFY(target().roles.fill("forearm.left")->is_by_hand);
        QVERIFY(target().roles.fill("forearm.right")->is_by_hand);  // and its mirror
        QVERIFY(!w().part<RolesPanel>().confirm_button()->isEnabled() ||
                w().part<RailsView>().picked() != "forearm.left");
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(!target().roles.fill("forearm.left")->is_by_hand);
    }

    /// A limb that was lost: one bone given, the rest and the mirror follow at once.
    void the_rest_of_a_limb_follows_one_bone() {
        to_roles();
        for (const char* role : {"upperarm.left", "hand.left", "hand.right", "upperarm.right"}) {
            click_rung(role);
            QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        }
        QCOMPARE(bone("hand.right"), QString());
        click_rung("forearm.left", true);
        click_bone("radius.l");
        QCOMPARE(bone("upperarm.left"), QString("humerus.l"));
        QCOMPARE(bone("hand.left"), QString("hand.l"));
        QCOMPARE(bone("upperarm.right"), QString("humerus.r"));
        QCOMPARE(bone("hand.right"), QString("hand.r"));
        QVERIFY2(w().notice().line().contains("followed"), qPrintable(w().notice().line()));
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(bone("hand.right"), QString());
    }

    void solving_again_finds_what_was_lost() {
        to_roles();
        for (const char* role : {"head", "clavicle.left"}) {
            click_rung(role);
            QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        }
        QCOMPARE(bone("head"), QString());
        QTest::mouseClick(w().part<RolesPanel>().again_button(), Qt::LeftButton);
        QCOMPARE(bone("head"), QString("skull"));
        QCOMPARE(bone("clavicle.left"), QString("collarbone.l"));
        QVERIFY2(w().notice().line().contains("changed"), qPrintable(w().notice().line()));
    }

    void hands_have_rails_by_bone() {
        to_roles();
        QVERIFY(w().part<RailsView>().place_of("index.2.left").isNull());
        QTest::mouseClick(w().part<RolesPanel>().hands_button(), Qt::LeftButton);
        QVERIFY(w().part<RailsView>().shows_hands());
        QVERIFY(!w().part<RailsView>().place_of("index.2.left").isNull());
        click_rung("index.2.left");
        QCOMPARE(w().stage().selected_joint(), target().roles.joint("index.2.left"));
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_Delete);
        QCOMPARE(bone("index.2.left"), QString());
        QTest::keyClick(&w().part<RailsView>(), Qt::Key_B);
        QVERIFY(!w().part<RailsView>().shows_hands() && !w().part<RolesPanel>().hands_button()->isChecked());
    }

    void several_bones_are_given_and_taken_away_at_once() {
        to_roles();
        QListWidget* list = w().part<RolesPanel>().tray();
        w().part<RolesPanel>().search()->setText("index.");
        QVERIFY(list->count() >= 3);
        const auto select = [&](const QStringList& names) {
            list->clearSelection();
            for (int i = 0; i < list->count(); ++i)
                for (const QString& name : names)
                    if (list->item(i)->text().startsWith(name + " ")) list->item(i)->setSelected(true);
        };
        select({"index.1.l", "index.2.l", "index.3.l"});
        QCOMPARE(list->selectedItems().size(), 3);
        QTest::mouseClick(&w().part<RailsView>(), Qt::LeftButton, {},
                          w().part<RailsView>().place_of_chain("ring.left").center().toPoint());
        QVERIFY(w().part<RolesPanel>().several_button()->isVisible());
        QTest::mouseClick(w().part<RolesPanel>().several_button(), Qt::LeftButton);
        QCOMPARE(bone("ring.1.left"), QString("index.1.l"));
        QCOMPARE(bone("ring.3.left"), QString("index.3.l"));
        QCOMPARE(bone("ring.2.right"), QString("index.2.r"));
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(bone("index.1.left"), QString("index.1.l"));
    }

    void a_crash_loses_no_role() {
        to_roles();
        click_rung("clavicle.left", true);
        click_bone("upperarm1.twist.l");
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        // The program ends without a word; another starts.
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(settled());
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        QVERIFY(w().workspace().has_unsaved_changes());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, RolesWindowTest)
}  // namespace test_roles_window
#include "test_roles_window.moc"
