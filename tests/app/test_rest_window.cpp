// The Rest station as a person works it: both bodies over each other, the table and the arcs, a bone typed
// and turned by its hoop with the other side, limbs solved and reset, named alignments, undo, the take that
// follows at once, and what is kept with the rig.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QPushButton>

#include "app/stations/rest/rest_panel.hpp"
#include "app/stations/rest/rest_sheet.hpp"
#include "app/stations/rest/stance_form.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/station_line.hpp"
#include "core/base/files.hpp"
#include "core/documents/format.hpp"
#include "core/rest/compare.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_rest_window {

using namespace nb;

class RestWindowTest : public test::WindowFixture {
    Q_OBJECT

    const Character& body(bool of_target = true) { return w().workspace().body(of_target)->file.character; }
    Vec3 direction(const char* role, bool of_target = true) {
        const Character& c = body(of_target);
        return aligned_direction(c.rig.skeleton, c.roles, c.rest, role);
    }
    void open_window() {
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().activateWindow();
        w().open_files({library()});
        QVERIFY(settled());
    }
    void to_rest() {
        QTest::keyClick(&w(), Qt::Key_F3);
        QVERIFY(w().part<RestPanel>().isVisible() && w().part<RestSheet>().isVisible());
    }
    QPushButton* button(const QString& text) {
        for (auto* b : w().part<RestPanel>().findChildren<QPushButton*>())
            if (b->text() == text) return b;
        qFatal("no button %s", qPrintable(text));
    }
    void click(const QString& text) {
        QVERIFY(button(text)->isEnabled());
        QTest::mouseClick(button(text), Qt::LeftButton);
    }
    void type(const QString& field, const QString& text) {
        auto* box = named<QDoubleSpinBox>(field);
        QVERIFY(box);
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, text);
        QTest::keyClick(box, Qt::Key_Return);
    }
    void undo() { QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier); }
    /// A step worse first.
    double worst() {
        return w().part<RestSheet>().rows().empty() ? 0.0
                                                    : w().part<RestSheet>().rows().front().now.worst_deg();
    }

  private slots:

    void both_bodies_lie_over_each_other_and_are_compared() {
        to_rest();
        QCOMPARE(w().stage().spread(), 0.0);
        QVERIFY(w().stage().stand() == StageView::Stand::aligned);
        QVERIFY(w().part<RestSheet>().rows().size() >= 13);
        QVERIFY2(worst() < 0.01, qPrintable(QString::number(worst())));
        QVERIFY(w().stage().arcs().empty());
        // In their files they differ, and the arcs say so.
        w().workspace().step_target(1);
        QVERIFY(settled());
        for (int i = 0; i < 6 && w().stage().arcs().empty(); ++i) {
            click("in the files");
            if (!w().stage().arcs().empty()) break;
            w().workspace().step_target(1);
            QVERIFY(settled());
        }
        QVERIFY(!w().stage().arcs().empty());
        const QImage files = stage_picture();
        click("aligned");
        QVERIFY(files != stage_picture());
        // Left, the stage is as it was.
        QTest::keyClick(&w(), Qt::Key_F5);
        QVERIFY(w().stage().stand() == StageView::Stand::take && w().stage().spread() > 0.5);
        QVERIFY(!w().stage().handle());
    }

    void typed_degrees_turn_both_sides_and_are_undone() {
        to_rest();
        const QRectF row = w().part<RestSheet>().place_of("upperarm.left");
        QTest::mouseClick(&w().part<RestSheet>(), Qt::LeftButton, {}, row.center().toPoint());
        QCOMPARE(w().part<RestPanel>().picked(), QString("upperarm.left"));
        QCOMPARE(w().stage().selected_joint(), body().roles.joint("upperarm.left"));
        named<QComboBox>("axes")->setCurrentIndex(3);
        type("Z", "-14");
        QVERIFY(std::abs(rad_to_deg(angle_between(direction("upperarm.left"), Vec3(Vec3::UnitX()))) - 14) <
                1e-6);
        QVERIFY(std::abs(rad_to_deg(angle_between(direction("upperarm.right"), Vec3(-Vec3::UnitX()))) - 14) <
                1e-6);
        QVERIFY(std::abs(worst() - 14) < 1e-3);
        QCOMPARE(QString::fromStdString(w().part<RestSheet>().rows().front().role).section('.', 0, 0),
                 QString("upperarm"));
        QVERIFY(!w().stage().arcs().empty());
        QVERIFY(w().part<RestPanel>().open_points() == 2);
        type("Z", "-20");  // the same field again: one step back undoes both
        undo();
        QVERIFY2(worst() < 0.01, qPrintable(QString::number(worst())));
        QCOMPARE(named<QDoubleSpinBox>("Z")->value(), 0.0);
        QVERIFY(!w().workspace().has_unsaved_changes());
        box("the other side follows")->setChecked(false);
        type("Z", "-9");
        QVERIFY(angle_between(direction("upperarm.right"), Vec3(-Vec3::UnitX())) < 1e-9);
        click("solve");
        QVERIFY(worst() < 0.01);
    }

    void a_hoop_turns_the_bone_and_the_take_follows() {
        to_rest();
        w().stage().select(true, body().roles.joint("upperarm.left"));
        QCOMPARE(w().part<RestPanel>().picked(), QString("upperarm.left"));
        const auto handle = w().stage().handle();
        QVERIFY(handle.has_value());
        // A point of some hoop that can be taken, as it is seen.
        QPoint at;
        const QSize view = w().stage().size();
        int axis = -1;
        for (int i = 0; i < 72 && axis < 0; ++i) {
            const Vec3 seen =
                w().stage().camera().project(handle->point(i % 3, i * 0.37), view.width(), view.height());
            double angle = 0.0;
            at = QPointF(seen.x(), seen.y()).toPoint();
            axis = handle->hoop_at(w().stage().camera(), view, at, angle);
        }
        QVERIFY(axis >= 0);
        Pose S, before, during, after;
        w().workspace().poses_at(100, S, before);
        QTest::mousePress(&w().stage(), Qt::LeftButton, {}, at);
        QVERIFY(w().stage().is_turning());
        const LoadedPtr in_hand = w().workspace().target();
        QElapsedTimer timer;
        timer.start();
        for (const QPoint& step : {QPoint(8, 6), QPoint(22, 18)}) QTest::mouseMove(&w().stage(), at + step);
        qInfo("a step of a drag takes %.1f ms before it is drawn", double(timer.nsecsElapsed()) * 0.5e-6);
        // Another body, but no mesh and no take was copied for it.
        const LoadedPtr turned_body = w().workspace().target();
        QVERIFY(turned_body != in_hand);
        QVERIFY(turned_body->file.character.rig.meshes.shares_with(in_hand->file.character.rig.meshes));
        QVERIFY(turned_body->file.character.rig.images.shares_with(in_hand->file.character.rig.images));
        QVERIFY(turned_body->figure == in_hand->figure && turned_body->drawn);
        w().workspace().poses_at(100, S, during);
        const size_t arm = size_t(body().roles.joint("upperarm.left"));
        const double turned = rad_to_deg(angle_between(before.R[arm], during.R[arm]));
        QVERIFY2(turned > 2.0 && turned < 90.0,
                 qPrintable(QString::number(turned)));  // at once, before the hand lets go
        QTest::mouseRelease(&w().stage(), Qt::LeftButton, {}, at + QPoint(22, 18));
        QVERIFY(!w().stage().is_turning());
        QVERIFY(worst() > 2.0);
        QVERIFY(w().workspace().has_unsaved_changes());
        undo();
        QVERIFY(worst() < 0.01);
        w().workspace().poses_at(100, S, after);
        QVERIFY(angle_between(before.R[arm], after.R[arm]) < 1e-9);
        // Escape lets go of it: nothing is turned, nothing to undo.
        const int steps = w().undo_stack().count();
        QTest::mousePress(&w().stage(), Qt::LeftButton, {}, at);
        QTest::mouseMove(&w().stage(), at + QPoint(20, 10), 10);
        QTest::keyClick(&w(), Qt::Key_Escape);
        QVERIFY(!w().stage().is_turning() && worst() < 0.01 && w().undo_stack().count() == steps);
        QTest::mouseRelease(&w().stage(), Qt::LeftButton, {}, at);
    }

    void in_the_take_the_same_hoops_turn_the_rest() {
        to_rest();
        click("the take");
        w().playback().go_to(180);
        w().part<RestPanel>().pick("forearm.right");
        const auto handle = w().stage().handle();
        QVERIFY(handle.has_value());
        Pose S, T;
        w().workspace().poses_at(180, S, T);
        const size_t joint = size_t(body().roles.joint("forearm.right"));
        // The hoops lie about the bone as the frame has it: bone axes are those of the posed bone.
        QVERIFY(angle_between(handle->R_WA, T.R[joint]) < 1e-6);
    }

    void limbs_are_reset_solved_and_copied() {
        to_rest();
        for (int i = 0; i < 6 && body().name != "the net-mender"; ++i) {
            w().workspace().step_target(1);
            QVERIFY(settled());
        }
        QCOMPARE(body().name, std::string("the net-mender"));
        w().part<RestPanel>().pick("hand.left");
        named<QComboBox>("scope")->setCurrentIndex(1);
        click("reset");
        // Its maker lowered the arms by 58 degrees.
        QVERIFY(std::abs(rad_to_deg(angle_between(direction("upperarm.left"), Vec3(Vec3::UnitX()))) - 58) <
                0.5);
        QVERIFY(angle_between(direction("thigh.left"), Vec3(-Vec3::UnitY())) < 1e-6);
        click("solve");
        QVERIFY(worst() < 0.01);
        undo();
        QVERIFY(worst() > 50);
        click("as the other");
        QVERIFY2(worst() < 0.01, qPrintable(QString::number(worst())));
        // Level, from a crooked arm.
        w().part<RestPanel>().pick("upperarm.right");
        w().part<RestPanel>().set_correction_of_picked({12, 7, 31});
        click("level");
        QVERIFY(std::abs(direction("upperarm.left").y()) < 1e-9);
    }

    void one_stance_for_both() {
        to_rest();
        named<QComboBox>("stance")->setCurrentIndex(1);
        type("arms lowered by", "30");
        click("solve both bodies");
        for (const bool of_target : {true, false})
            QVERIFY(std::abs(rad_to_deg(std::asin(-direction("forearm.left", of_target).y())) - 30) < 1e-6);
        QVERIFY(worst() < 0.01);
        QCOMPARE(body().rest.name, std::string("A 30°"));
        // The fields show the stance in force: also after an undo, and of the other body.
        QCOMPARE(w().part<StanceForm>().stance(), body().rest.stance);
        undo();
        QCOMPARE(w().part<StanceForm>().stance(), body().rest.stance);
        for (const bool of_target : {true, false})
            QVERIFY(std::abs(direction("forearm.left", of_target).y()) < 1e-6);
    }

    void alignments_are_named_and_kept_with_the_rig() {
        to_rest();
        w().playback().go_to(120);
        w().part<RestPanel>().take_from_frame();
        QVERIFY(QString::fromStdString(body().rest.name).startsWith("frame 120 of"));
        QVERIFY(worst() > 20);
        auto* names = named<QComboBox>("alignment");
        QCOMPARE(names->count(), 2);
        names->lineEdit()->setFocus();
        names->lineEdit()->selectAll();
        QTest::keyClicks(names->lineEdit(), "mid stride");
        QTest::keyClick(names->lineEdit(), Qt::Key_Return);
        QCOMPARE(body().rest.name, std::string("mid stride"));
        type("gaze", "6.5");
        type("ground", "2");
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(!w().workspace().has_unsaved_changes(), qPrintable(w().notice().line()));
        const std::string path = (library() + "/characters/ferrier/character.json").toStdString();
        QVERIFY(read_file(path).find("mid stride") != std::string::npos);
        // A new window finds them, and the other one is a choice away.
        w().workspace().drop_recovery();
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        open_window();
        to_rest();
        QCOMPARE(body().rest.name, std::string("mid stride"));
        QVERIFY(std::abs(rad_to_deg(body().rest.dials.gaze_rad) - 6.5) < 1e-6);
        names = named<QComboBox>("alignment");
        names->setCurrentIndex(1);
        emit names->activated(1);
        QCOMPARE(body().rest.name, std::string("T"));
        QVERIFY(worst() < 0.01);
        w().part<RestPanel>().forget_current();
        QCOMPARE(body().rest.name, std::string("mid stride"));
        w().part<RestPanel>().forget_current();
        QVERIFY(w().notice().line().contains("only alignment"));
    }

    void the_source_is_corrected_with_its_own_rig() {
        to_rest();
        click("the source");
        w().part<RestPanel>().pick("hand.left");
        named<QComboBox>("axes")->setCurrentIndex(3);
        type("Y", "10");
        QVERIFY(std::abs(worst() - 10) < 0.01);
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(!w().workspace().has_unsaved_changes(), qPrintable(w().notice().line()));
        // Kept with the performer: another of its takes has it too.
        const QString performer = library() + "/characters/performer/character.json";
        QVERIFY(read_file(performer.toStdString()).find("\"by hand\"") != std::string::npos);
        const auto& takes = w().workspace().takes();
        for (size_t i = 0; i < takes.size(); ++i)
            if (takes[i].name == "Weary watch") w().workspace().choose_take(int(i));
        QVERIFY(settled());
        QCOMPARE(w().workspace().take_name(), QString("Weary watch"));
        QVERIFY2(std::abs(worst() - 10) < 0.01, qPrintable(QString::number(worst())));
        QVERIFY(read_document(performer.toStdString(), "character")["rig"]["path"] == "rig.glb");
    }

    void a_crash_loses_no_correction() {
        to_rest();
        w().part<RestPanel>().pick("foot.left");
        w().part<RestPanel>().set_correction_of_picked({0, 8, 0});
        QVERIFY(settled());
        const double before = worst();
        QVERIFY(before > 5.0);
        window_.reset();  // without being asked
        window_ = std::make_unique<MainWindow>();
        open_window();
        to_rest();
        QVERIFY2(std::abs(worst() - before) < 0.01, qPrintable(QString::number(worst())));
        QVERIFY(w().workspace().has_unsaved_changes());
    }

    void the_rig_gets_its_own_rest_and_bad_files_are_told() {
        to_rest();
        const QString path = folder_.filePath("ferrier-rest.glb");
        w().part<RestPanel>().write_rest(path);
        QVERIFY(QFile::exists(path));
        QVERIFY2(w().notice().line().contains("Written"), qPrintable(w().notice().line()));
        w().part<RestPanel>().write_rest("/proc/no/place.glb");
        QVERIFY(w().notice().line().contains("/proc/no"));
        w().part<RestPanel>().take_from_file(folder_.filePath("is-not-there.bvh"));
        QVERIFY2(w().notice().line().contains("is-not-there"), qPrintable(w().notice().line()));
        w().part<RestPanel>().take_from_file(QString::fromStdString(test::capture("01_01.bvh")));
        QCOMPARE(body().rest.name, std::string("01_01"));
        QVERIFY(worst() > 3 && worst() < 30);
    }

    void words_and_keys_are_at_hand() {
        to_rest();
        for (auto* widget : w().part<RestPanel>().findChildren<QWidget*>()) {
            const bool is_control = qobject_cast<QPushButton*>(widget) || qobject_cast<QComboBox*>(widget) ||
                                    qobject_cast<QDoubleSpinBox*>(widget) || qobject_cast<QCheckBox*>(widget);
            if (is_control) QVERIFY2(!widget->toolTip().isEmpty(), widget->metaObject()->className());
        }
        w().part<RestSheet>().setFocus();
        QTest::keyClick(&w().part<RestSheet>(), Qt::Key_Down);
        const QString first = w().part<RestPanel>().picked();
        QTest::keyClick(&w().part<RestSheet>(), Qt::Key_Down);
        QVERIFY(!first.isEmpty() && w().part<RestPanel>().picked() != first);
        w().set_look("paper");
        QTest::qWait(50);
        w().set_look("ink");
    }
};

NB_TEST_WITH(nb::test::WindowApplication, RestWindowTest)
}  // namespace test_rest_window
#include "test_rest_window.moc"
