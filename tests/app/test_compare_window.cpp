// Comparing in the station Transfer, as a person does it: a pinned result, the result before the last change,
// curves of source and target over each other.
#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QUndoStack>
#include <QtTest>

#include "app/stage/stage_view.hpp"
#include "app/stations/transfer/curves_view.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"
#include "app/window/main_window.hpp"
#include "app/window/notice_bar.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_compare_window {

using namespace nb;

class CompareWindowTest : public test::WindowFixture {
    Q_OBJECT

    int joint(const char* role) { return w().workspace().target()->file.character.roles.joint(role); }
    Vec3 place(const char* role, int frame) {
        Pose source, target;
        w().workspace().poses_at(frame, source, target);
        return target.p[size_t(joint(role))];
    }

  private slots:
    void a_pinned_result_stays_beside_the_new_one() {
        w().playback().go_to(120);
        QTest::keyClick(&w(), Qt::Key_P);
        QVERIFY(w().workspace().pinned());
        const QStringList pinned = w().part<TransferPanel>().pinned_texts();
        QCOMPARE(pinned.size(), 6);
        QVERIFY(w().stage().pinned_strokes().size() > 15);
        const QImage before = stage_picture();
        box("contacts")->click();
        QVERIFY(settled());
        // Its figures stay as they were, the new ones are others; the thin figure is seen.
        QCOMPARE(w().part<TransferPanel>().pinned_texts(), pinned);
        const double slide = w().workspace().review()->target_slide_cm_s.p95;
        QVERIFY(slide > w().workspace().pinned()->review->target_slide_cm_s.p95 + 0.1);
        QVERIFY(stage_picture() != before);
        // On another target it stays, on another take it goes.
        w().workspace().step_target(1);
        QVERIFY(settled());
        QVERIFY(w().workspace().pinned());
        QVERIFY(choose_take("Haul rope"));
        QVERIFY(!w().workspace().pinned());
        QVERIFY(w().part<TransferPanel>().pinned_texts().isEmpty() && w().stage().pinned_strokes().empty());
    }
    void a_held_key_shows_what_was_before_the_last_change() {
        const int frame = 160;
        w().playback().go_to(frame);
        const Vec3 before = place("foot.left", frame);
        box("root")->click();
        QVERIFY(settled());
        const Vec3 after = place("foot.left", frame);
        QVERIFY((after - before).norm() > 0.05);
        w().stage().setFocus();
        QTest::keyPress(&w().stage(), Qt::Key_H);
        QVERIFY((place("foot.left", frame) - before).norm() < 1e-12);
        QTest::keyRelease(&w().stage(), Qt::Key_H);
        QVERIFY((place("foot.left", frame) - after).norm() < 1e-12);
        // A field keeps the letter.
        w().find_anything();
        for (auto* field : w().findChildren<QLineEdit*>())
            if (field->isVisible() && field->hasFocus()) {
                QTest::keyClick(field, Qt::Key_H);
                QVERIFY(field->text().endsWith("h"));
            }
        QVERIFY(!w().workspace().is_before_shown());
    }
    void curves_of_the_selected_bone() {
        w().stage().select(true, joint("foot.left"));
        QTest::keyClick(&w(), Qt::Key_C);
        CurvesView& curves = *w().part<TransferSheet>().findChild<CurvesView*>();
        QVERIFY(curves.isVisible());
        QCOMPARE(curves.role(), std::string("foot.left"));
        const int frame = 100;
        QVERIFY(std::abs(curves.value(1, frame) - 100.0 * place("foot.left", frame).y()) < 1e-9);
        // The source at the target's scale: ankles stand at about the same height in it.
        const auto result = w().workspace().result();
        const int S = w().workspace().source()->file.character.roles.joint("foot.left");
        QVERIFY(std::abs(curves.value(0, frame) - 100.0 * result->plan.program.map.k *
                                                      result->source.p[result->source.at(frame, S)].y()) <
                1e-9);
        QVERIFY(std::isnan(curves.value(2, frame)));
        QTest::keyClick(&w(), Qt::Key_P);
        QVERIFY(std::abs(curves.value(2, frame) - curves.value(1, frame)) < 1e-9);
        // Another quantity, another bone, zoom, and a click goes there.
        auto* quantity = named<QComboBox>("curve");
        quantity->setCurrentIndex(quantity->findData(int(BoneQuantity::bend)));
        w().stage().select(true, joint("shin.left"));
        QVERIFY(curves.value(1, frame) > 1.0 && curves.value(1, frame) < 120.0);
        auto* plot = curves.findChild<QWidget*>();
        const QPointF middle(curves.width() * 0.6, 50);
        QWheelEvent wheel(middle, plot->mapToGlobal(middle), {}, {0, 240}, Qt::NoButton, Qt::NoModifier,
                          Qt::NoScrollPhase, false);
        const auto whole = curves.range();
        QApplication::sendEvent(plot, &wheel);
        QVERIFY(curves.range().second - curves.range().first < 0.9 * (whole.second - whole.first));
        w().playback().go_to(0);
        QTest::mouseClick(plot, Qt::LeftButton, {}, middle.toPoint());
        QVERIFY(w().playback().frame() > 50);
        QTest::keyClick(&w(), Qt::Key_C);
        QVERIFY(!curves.isVisible() && w().part<TransferSheet>().strip().isVisible());
    }
    void without_a_result_there_is_nothing_to_pin() {
        Workspace empty;
        empty.pin("nothing");
        QVERIFY(!empty.pinned());
        empty.show_before(true);
        QVERIFY(!empty.is_before_shown());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, CompareWindowTest)
}  // namespace test_compare_window
#include "test_compare_window.moc"
