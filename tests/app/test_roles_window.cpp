// The Roles station: rails drawn and picked, a bone given with its mirror, taken away, undone, saved with the
// rig; the list of bones; what is settled does not change by accident.
#include <QCheckBox>
#include <QLineEdit>
#include <QListWidget>

#include "app/notice_bar.hpp"
#include "app/rails_view.hpp"
#include "app/roles_panel.hpp"
#include "app/station_line.hpp"
#include "core/io/file_error.hpp"
#include "tests/app/window_fixture.hpp"

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
        QVERIFY(w().rails().isVisible() && w().roles().isVisible());
    }
    void click_rung(const char* role, bool is_double = false) {
        const QPoint at = w().rails().place_of(role).center().toPoint();
        QTest::mouseClick(&w().rails(), Qt::LeftButton, {}, at);
        if (is_double) QTest::mouseDClick(&w().rails(), Qt::LeftButton, {}, at);
    }
    void click_bone(const QString& name) {
        w().roles().search()->setText(name);
        QListWidget* list = w().roles().tray();
        QVERIFY(list->count() > 0);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
    }

  private slots:
    void a_rung_shows_its_bone_and_a_bone_its_rung() {
        to_roles();
        click_rung("forearm.left");
        QCOMPARE(w().stage().selected_joint(), target().roles.joint("forearm.left"));
        QVERIFY(!w().rails().is_waiting());  // sure: a click changes nothing
        w().stage().select(true, target().roles.joint("shin.right"));
        QCOMPARE(w().rails().picked(), QString("shin.right"));
        QTest::keyClick(&w().rails(), Qt::Key_Left);
        QCOMPARE(w().rails().picked(), QString("thigh.right"));
    }

    void a_bone_is_given_with_its_mirror_undone_and_saved() {
        to_roles();
        QCOMPARE(bone("clavicle.left"), QString("collarbone.l"));
        click_rung("clavicle.left", true);
        QVERIFY(w().rails().is_waiting());
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
        w().roles().mirror_box()->setChecked(false);
        click_rung("clavicle.left", true);
        click_bone("upperarm1.twist.l");
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        QCOMPARE(bone("clavicle.right"), QString("collarbone.r"));
    }

    void a_role_taken_away_opens_a_gap_and_the_next_open_one_waits() {
        to_roles();
        click_rung("head");
        QTest::keyClick(&w().rails(), Qt::Key_Delete);
        QCOMPARE(bone("head"), QString());
        QVERIFY(w().rails().pick_next_open() || w().rails().picked() == "head");
        click_rung("head");
        QVERIFY(w().rails().is_waiting());  // a gap waits at once
        click_bone("skull");
        QCOMPARE(bone("head"), QString("skull"));
        QVERIFY(!w().rails().is_waiting());  // nothing is open any more
    }

    void what_the_legs_need_cannot_be_lost() {
        to_roles();
        click_rung("thigh.left");
        QTest::keyClick(&w().rails(), Qt::Key_Delete);
        QCOMPARE(bone("thigh.left"), QString("femur.l"));
        QVERIFY2(w().notice().line().contains("thigh.left"), qPrintable(w().notice().line()));
        QVERIFY(w().workspace().result() || settled());
    }

    void a_crash_loses_no_role() {
        to_roles();
        click_rung("clavicle.left", true);
        click_bone("upperarm1.twist.l");
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        // The program ends without a word; another starts.
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(settled());
        QCOMPARE(bone("clavicle.left"), QString("upperarm1.twist.l"));
        QVERIFY(w().workspace().has_unsaved_changes());
    }
};

NB_WINDOW_MAIN(RolesWindowTest)
#include "test_roles_window.moc"
