// The station Live, driven as a person would: listen, see a stream on the stage, what is wrong and what to do, record, mark,
// stop, and go on with the recording as a take.
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QPushButton>
#include <QTemporaryDir>
#include <QToolButton>
#include <filesystem>

#include "app/stations/live/live_lane.hpp"
#include "app/stations/live/live_panel.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/tape.hpp"
#include "app/window/transport.hpp"
#include "core/base/files.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_live_window {

using namespace nb;
namespace fs = std::filesystem;

class LiveWindowTest : public test::WindowFixture {
    Q_OBJECT

    LiveDesk& desk() { return w().live(); }
    LivePanel& panel() { return w().part<LivePanel>(); }
    QToolButton* word(const QString& text) {
        for (auto* one : w().findChildren<QToolButton*>())
            if (one->text() == text && one->isVisible()) return one;
        return nullptr;
    }
    QString state() { return panel().findChild<QLabel*>("stream state")->text(); }
    bool stands(LiveState wanted, int ms = 20000) {
        return QTest::qWaitFor([&] { return desk().told().state == wanted; }, ms);
    }
    /// Late frames are no matter here: a machine under load has them of its own.
    bool is_followed() {
        return QTest::qWaitFor(
            [&] {
                const LiveState now = desk().told().state;
                return now == LiveState::comes || now == LiveState::lossy;
            },
            20000);
    }
    void listen_at(int port) {
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("live"));
        auto* address = named<QLineEdit>("address");
        address->setFocus();
        address->selectAll();
        QTest::keyClicks(address, QString("127.0.0.1:%1").arg(port));
        QTest::mouseClick(button("listen"), Qt::LeftButton);
    }

  private slots:
    /// From nothing to an ordinary take.
    void a_stream_is_followed_recorded_and_taken_on() {
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(choose_target("the ferrier"));
        QVERIFY(!w().part<Tape>().isVisible() && w().part<Transport>().isVisible());
        listen_at(18301);
        QVERIFY(stands(LiveState::waiting));
        QVERIFY2(state().contains("nobody is connected"), qPrintable(state()));
        QVERIFY(w().part<Tape>().isVisible() && !w().part<Transport>().isVisible());
        QCOMPARE(w().sentence().sentence(),
                 QString("Live from 127.0.0.1:18301, performer nobody yet, carried onto the ferrier."));
        QTest::mouseClick(word("play the take"), Qt::LeftButton);
        QVERIFY(is_followed());
        QTRY_COMPARE_WITH_TIMEOUT(
            w().sentence().sentence(),
            QString("Live from 127.0.0.1:18301, performer the-performer, carried onto the ferrier."), 3000);
        QTRY_VERIFY_WITH_TIMEOUT(w().workspace().live() && w().workspace().live()->has_pose, 20000);
        // It moves on the stage.
        QTest::qWait(1500);
        const QImage before = stage_picture();
        QTest::qWait(400);
        QVERIFY(stage_picture() != before);
        QVERIFY(desk().on_screen_s() > 0.0);
        QTest::keyClick(&w(), Qt::Key_R, Qt::ControlModifier);
        QTRY_VERIFY_WITH_TIMEOUT(desk().tape().frames > 120, 20000);
        QTest::mouseClick(word("mark"), Qt::LeftButton);
        QTest::keyClick(&w().stage(), Qt::Key_Y);
        QCOMPARE(desk().tape().marks.size(), size_t(2));
        DeviceFaults faults;
        faults.lost = 0.1;
        desk().set_faults(faults);
        QTRY_VERIFY_WITH_TIMEOUT(!desk().tape().gaps.empty(), 20000);
        QTest::mouseClick(word("stop"), Qt::LeftButton);
        desk().stop_device();
        QTest::mouseClick(button("listen no more"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(w().workspace().take_name() == "The performer live 1", 10000);
        QTRY_VERIFY_WITH_TIMEOUT(w().workspace().source() && w().workspace().source()->file.marks.size() == 2,
                                 10000);
        QVERIFY(settled());
        QVERIFY(!w().part<Tape>().isVisible() && w().part<Transport>().isVisible());
        const LoadedPtr take = w().workspace().source();
        QVERIFY2(take->file.take->frames > 120, qPrintable(QString::number(take->file.take->frames)));
        QVERIFY(!take->file.gaps.empty());
        QCOMPARE(take->file.marks.size(), size_t(2));
        QVERIFY(w().workspace().marked_frames().size() >= 2);
        QVERIFY(fs::exists(library().toStdString() + "/takes/the-performer-live-1.live.bvh"));
        // The raw stream is no take of the library.
        for (const Choice& choice : w().workspace().takes()) QVERIFY(!choice.path.endsWith(".live.bvh"));
    }

    void what_is_wrong_is_said_with_what_to_do() {
        QVERIFY(choose_take("Quay walk"));
        listen_at(18302);
        QTest::mouseClick(word("play the take"), Qt::LeftButton);
        QVERIFY(is_followed());
        desk().follow("the-performer");
        box("wrong name")->click();
        QVERIFY(stands(LiveState::other_performer));
        QVERIFY2(state().contains("here is somebody-1"), qPrintable(state()));
        box("wrong name")->click();
        QVERIFY(is_followed());
        box("other skeleton")->click();
        QVERIFY(stands(LiveState::other_skeleton));
        QVERIFY2(state().contains("missing"), qPrintable(state()));
        box("other skeleton")->click();
        QVERIFY(is_followed());
        auto* late = named<QDoubleSpinBox>("late");
        late->setValue(40);
        QVERIFY(stands(LiveState::lossy));
        // What is offered takes what is late; on a busy machine that may be more a moment later.
        const auto offered = [this]() -> QToolButton* {
            for (auto* one : w().findChildren<QToolButton*>())
                if (one->isVisible() && one->text().startsWith("a buffer of")) return one;
            return nullptr;
        };
        QTRY_VERIFY_WITH_TIMEOUT(offered(), 20000);
        for (int i = 0; i < 4 && desk().told().state != LiveState::comes; ++i) {
            if (QToolButton* one = offered()) QTest::mouseClick(one, Qt::LeftButton);
            stands(LiveState::comes, 2500);
        }
        QVERIFY(desk().buffer_ms() >= 80.0);
        QVERIFY(stands(LiveState::comes));
        late->setValue(0);
        QTest::mouseClick(word("stop"), Qt::LeftButton);
        QVERIFY(stands(LiveState::stopped));
    }

    /// The device plays a second take beside the one on the stage; who is followed is chosen.
    void two_performers_come_and_one_is_followed() {
        QVERIFY(choose_take("Quay walk"));
        listen_at(18305);
        auto* beside = named<QComboBox>("second performer");
        QVERIFY(beside->findText("Mole steps") > 0);
        beside->setCurrentText("Mole steps");
        QTest::mouseClick(word("play the take"), Qt::LeftButton);
        QVERIFY(is_followed());
        auto* performer = named<QComboBox>("performer");
        QTRY_VERIFY_WITH_TIMEOUT(performer->findText("the-performer-2") >= 0, 20000);
        QVERIFY(performer->findText("the-performer") >= 0);
        desk().follow("the-performer-2");
        QTRY_VERIFY_WITH_TIMEOUT(w().sentence().sentence().contains("performer the-performer-2,"), 20000);
        QVERIFY(is_followed());
        // It climbs, which the other one does not.
        double highest = 0.0;
        QVERIFY(QTest::qWaitFor(
            [&] {
                const auto& live = w().workspace().live();
                if (!live || !live->has_pose) return false;
                const int hips = w().workspace().source()->file.character.roles.joint("hips");
                highest = std::max(highest, live->source.p[size_t(hips)].y());
                return highest > 1.3;
            },
            30000));
        QTest::mouseClick(word("stop"), Qt::LeftButton);
        beside->setCurrentIndex(0);
    }

    /// A body nobody here knows: it comes with its own.
    void the_streams_own_body_comes_onto_the_stage() {
        QVERIFY(choose_take("Dog trot"));
        QVERIFY(choose_target("the ferrier"));
        listen_at(18303);
        const LoadedFile walk = test::demo_take("quay-walk");
        DeviceSettings settings;
        settings.to = {"127.0.0.1", 18303};
        const Device device(settings, {{"walker", std::make_shared<LoadedFile>(walk)}});
        QVERIFY(stands(LiveState::other_skeleton));
        QTest::mouseClick(word("take the stream's own body"), Qt::LeftButton);
        QVERIFY(is_followed());
        QTRY_VERIFY_WITH_TIMEOUT(w().workspace().live() && w().workspace().live()->has_pose, 20000);
        QCOMPARE(w().workspace().source()->file.character.rig.skeleton.names.size(),
                 walk.character.rig.skeleton.names.size());
    }

    /// 240 frames a second while the window is busy: nothing of the recording is lost. NB_LIVE_MINUTES: for how long.
    void nothing_is_lost_while_the_window_is_busy() {
        const double minutes = qEnvironmentVariableIsSet("NB_LIVE_MINUTES")
                                   ? qEnvironmentVariable("NB_LIVE_MINUTES").toDouble()
                                   : 0.1;
        QVERIFY(choose_take("Quay walk"));
        listen_at(18306);
        desk().start_device(OutSettings::Way::bvh, 240.0);
        QVERIFY(is_followed());
        const auto resident = [] {
            QFile file("/proc/self/statm");
            return file.open(QIODevice::ReadOnly) ? file.readAll().split(' ').value(1).toDouble() * 4096e-6
                                                  : 0.0;
        };
        desk().record();
        QElapsedTimer timer;
        timer.start();
        double began_mb = 0.0;
        std::vector<double> ready_ms;
        for (int round = 0; double(timer.elapsed()) < 60000.0 * minutes; ++round) {
            w().stage().set_spread(0.5 + 0.5 * std::sin(0.1 * round));
            if (round % 40 == 0) w().stage().next_view();
            if (round % 100 == 50) {
                w().workspace().step_target(1);
            }
            if (round % 100 == 99) w().workspace().step_target(-1);
            QTest::qWait(30);
            if (began_mb == 0.0 && timer.elapsed() > 5000) began_mb = resident();
        }
        const LiveSession::Shown shown = desk().shown();
        qInfo(
            "%.1f minutes: %ld frames came, %ld were shown; due to pose %.2f ms (median), %.2f ms (99 %%); "
            "on screen %.0f ms after "
            "it came; %.0f MB, then %.0f MB",
            minutes, shown.came, shown.posed, 1e3 * shown.ready_p50_s, 1e3 * shown.ready_p99_s,
            1e3 * desk().on_screen_s(), began_mb, resident());
        const long recorded = desk().tape().frames;
        desk().stop_device();
        desk().stop_recording();
        const std::string stem = library().toStdString() + "/takes/the-performer-live-1";
        QTRY_VERIFY_WITH_TIMEOUT(fs::exists(stem + ".take.json"), 120000);
        const RecordedTake made = take_of_recording(stem);
        QVERIFY(made.frames >= recorded && double(recorded) > 0.8 * 240.0 * 60.0 * minutes);
        QVERIFY(made.gaps.empty());
        QCOMPARE(made.twice, 0);
    }

    void a_taken_port_is_said() {
        listen_at(18304);
        const auto other = std::make_unique<LiveDesk>(w().workspace(), w().playback());
        other->listen("127.0.0.1:18304");
        QVERIFY(!other->is_listening());
        QCOMPARE(other->told().state, LiveState::port_taken);
        QVERIFY(QString::fromStdString(other->told().sentence).contains("taken"));
        // Beyond this machine only when that is asked for.
        other->listen("0.0.0.0:18305");
        QVERIFY(!other->is_listening());
    }

    /// A program that was killed while it recorded: what it had is offered.
    void what_was_cut_off_is_offered() {
        const std::string stem = library().toStdString() + "/takes/walker-live-1";
        write_file(stem + ".live.bvh",
                   "HIERARCHY\nROOT hips\n{\nOFFSET 0 90 0\nCHANNELS 6 Xposition Yposition Zposition "
                   "Zrotation Xrotation "
                   "Yrotation\n}\nMOTION\nFrames: 0\nFrame Time: 0.01\n0 90 0 0 0 0\n0 91 0 0 0 0\n0 9");
        write_file(stem + ".live.csv", "number,sent_s,arrived_s\n0,0.0,1.0\n1,0.01,1.01\n2,0.0");
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("live"));
        w().workspace().read_library_again();
        QTRY_VERIFY_WITH_TIMEOUT(word("make a take of it"), 20000);
        QTest::mouseClick(word("make a take of it"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(fs::exists(stem + ".take.json"), 20000);
        QTRY_VERIFY_WITH_TIMEOUT(!word("make a take of it"), 20000);
    }
};

NB_TEST_WITH(nb::test::WindowApplication, LiveWindowTest)
}  // namespace test_live_window
#include "test_live_window.moc"
