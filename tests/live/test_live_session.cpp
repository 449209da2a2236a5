// A device that plays to a session on this machine: what comes is followed, recorded, told and sent on, whatever goes wrong.
#include <signal.h>
#include <sys/resource.h>
#include <unistd.h>

#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <filesystem>
#include <functional>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/library/library.hpp"
#include "live/device.hpp"
#include "live/session.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_live_session {

using namespace nb;
namespace fs = std::filesystem;

namespace {

int next_port = 17700;

std::unique_ptr<LiveSession> listening(const std::string& performer = {},
                                       std::shared_ptr<const Character> expected = nullptr,
                                       double buffer_s = 0.03, const std::string& record = {}) {
    for (int i = 0; i < 200; ++i) {
        try {
            return std::make_unique<LiveSession>(
                LiveSession::Setup{{"127.0.0.1", next_port++}, performer, buffer_s, record, expected});
        } catch (const FileError&) {
        }
    }
    return nullptr;
}

std::shared_ptr<const LoadedFile> take_named(const std::string& name) {
    return std::make_shared<LoadedFile>(test::demo_take(name));
}

std::unique_ptr<Device> device_for(const Address& to, const std::vector<Device::Performer>& performers,
                                   OutSettings::Way way = OutSettings::Way::bvh, double fps = 120.0,
                                   double t_pose_s = 0.1) {
    DeviceSettings settings;
    settings.way = way;
    settings.to = to;
    settings.fps = fps;
    settings.t_pose_s = t_pose_s;
    return std::make_unique<Device>(settings, performers);
}

/// Of the program, resident.
size_t resident_bytes() {
    long pages = 0, resident = 0;
    if (FILE* file = std::fopen("/proc/self/statm", "r")) {
        if (std::fscanf(file, "%ld %ld", &pages, &resident) != 2) resident = 0;
        std::fclose(file);
    }
    return size_t(resident) * size_t(::sysconf(_SC_PAGESIZE));
}

/// Of a recording whose first frames came before anybody listened (a machine under load): how many of the device's it begins
/// after, by all joints of a frame in its middle.
int missed_at_start(const Device& device, const Skeleton& played, const Skeleton& skeleton,
                    const Take& recorded, double fps) {
    const int middle = recorded.frames / 2;
    const Pose there = pose_at(skeleton, recorded, middle);
    int best = 0;
    double least = 1e30;
    for (int missed = 0; missed < 240; ++missed) {
        const Pose then = device.pose_at_s(0, (middle + missed) / fps);
        double off = 0.0;
        for (size_t j = 0; j < then.p.size(); ++j)
            off += (then.p[j] - there.p[size_t(skeleton.find(played.names[j]))]).norm();
        if (off >= least) continue;
        least = off;
        best = missed;
    }
    return best;
}

/// Asked once more after it has become so, as QTRY_VERIFY does, a state may have gone on (a machine under load).
bool becomes(const std::function<bool()>& what) {
    return QTest::qWaitFor(what, 20000);
}

bool is_in(const LiveSession& session, LiveState state) {
    return session.shown().told.state == state;
}

/// Late frames are no matter here: a machine under load has them of its own, and "lossy" then stands for long.
bool is_followed(const LiveSession& session) {
    return is_in(session, LiveState::comes) || is_in(session, LiveState::lossy);
}

}  // namespace

class LiveSessionTest : public QObject {
    Q_OBJECT
    std::unique_ptr<QTemporaryDir> folder_;
    std::shared_ptr<const LoadedFile> walk_ = take_named("quay-walk");
    std::shared_ptr<const Character> performer_ = std::make_shared<Character>(walk_->character);
    std::shared_ptr<const Character> dockhand_ =
        std::make_shared<Character>(test::demo_body("dockhand").character);

    std::string at(const std::string& name) const {
        return folder_->filePath(QString::fromStdString(name)).toStdString();
    }

  private slots:
    void init() { folder_ = std::make_unique<QTemporaryDir>(); }

    void both_ways_are_followed_and_recorded_data() {
        QTest::addColumn<int>("way");
        QTest::newRow("bvh") << int(OutSettings::Way::bvh);
        QTest::newRow("osc") << int(OutSettings::Way::osc);
    }
    /// What is recorded is what the device played, frame by frame.
    void both_ways_are_followed_and_recorded() {
        QFETCH(int, way);
        const auto session = listening("walker", performer_, 0.03, at("walk"));
        const Address address =
            session->shown().facts.address.empty() ? Address() : address_of(session->shown().facts.address);
        session->set_target(dockhand_, {});
        QCOMPARE(session->shown().told.state, LiveState::waiting);
        const auto device = device_for(address, {{"walker", walk_}}, OutSettings::Way(way));
        QVERIFY(becomes([&] { return is_followed(*session) && session->shown().has_pose; }));
        QVERIFY(becomes([&] { return session->shown().recorded > 100; }));
        session->mark("takes the rope");
        QVERIFY(becomes([&] { return session->shown().recorded > 150; }));
        Pose source, target;
        // After a silence (a machine under load) it is led back to what is played.
        const auto shows_what_is_played = [&] {
            const LiveSession::Shown shown = session->shown(&source, &target);
            const Pose played = device->pose_at_s(0, shown.t_s);
            bool is_played = source.R.size() == played.R.size();
            for (size_t j = 0; j < played.R.size() && is_played; ++j)
                is_played = (played.p[j] - source.p[j]).norm() < 1e-4 &&
                            angle_between(played.R[j], source.R[j]) < 1e-3;
            return is_played;
        };
        QVERIFY(becomes([&] { return shows_what_is_played(); }));
        QCOMPARE(session->shown().trouble, std::string());
        QCOMPARE(source.R.size(), performer_->rig.skeleton.names.size());
        QCOMPARE(target.R.size(), dockhand_->rig.skeleton.names.size());
        const std::string stem = session->stop_recording();
        QCOMPARE(stem, at("walk"));
        const RecordedTake made = take_of_recording(stem);
        QVERIFY(made.gaps.empty());
        QCOMPARE(made.fps, 120.0);
        QCOMPARE(made.marks.size(), size_t(1));
        QCOMPARE(made.marks[0].word, std::string("takes the rope"));
        std::vector<std::string> notes;
        const LoadedFile take = load_take(made.document, "", notes);
        QCOMPARE(take.take->frames, made.frames);
        const int missed = missed_at_start(*device, walk_->character.rig.skeleton,
                                           take.character.rig.skeleton, *take.take, 120.0);
        for (int f = 0; f < made.frames; f += 7) {
            const Pose then = device->pose_at_s(0, (f + missed) / 120.0);
            const Pose kept = pose_at(take.character.rig.skeleton, *take.take, f);
            for (size_t j = 0; j < then.p.size(); ++j) {
                const int there = take.character.rig.skeleton.find(walk_->character.rig.skeleton.names[j]);
                // Between two frames of the take the device's places lie on the chord: 0.25 mm.
                QVERIFY((then.p[j] - kept.p[size_t(there)]).norm() < 4e-4);
            }
        }
        // What is there is never written over.
        QVERIFY_THROWS_EXCEPTION(FileError, session->record(at("walk")));
    }

    void what_is_lost_late_twice_or_swapped_is_told_and_put_right() {
        const auto session = listening("", nullptr, 0.03, at("rough"));
        const auto device = device_for(address_of(session->shown().facts.address), {{"walker", walk_}});
        DeviceFaults faults;
        faults.lost = 0.1;
        faults.late = 0.1;
        faults.twice = 0.1;
        faults.swapped = 0.1;
        faults.late_by_s = 0.06;
        device->set_faults(faults);
        QVERIFY(becomes([&] { return is_in(*session, LiveState::lossy); }));
        QVERIFY(becomes([&] { return session->shown().recorded > 240; }));
        const LiveSession::Shown shown = session->shown();
        const JitterBuffer::Account& account = shown.facts.account;
        QVERIFY2(account.late > 0 && account.missing > 0 && account.twice > 0 && account.swapped > 0,
                 shown.told.sentence.c_str());
        const RecordedTake made = take_of_recording(session->stop_recording());
        QVERIFY(!made.gaps.empty() && made.twice > 0 && made.out_of_order > 0);
        std::vector<char> is_bridged(size_t(made.frames), 0);
        for (const StreamGap& gap : made.gaps)
            for (int f = gap.first; f < gap.last; ++f) is_bridged[size_t(f)] = 1;
        const double share = double(std::count(is_bridged.begin(), is_bridged.end(), 1)) / made.frames;
        QVERIFY(share > 0.03 && share < 0.2);
        std::vector<std::string> notes;
        const LoadedFile take = load_take(made.document, "", notes);
        const int missed = missed_at_start(*device, walk_->character.rig.skeleton,
                                           take.character.rig.skeleton, *take.take, 120.0);
        for (int f = 0; f < made.frames; ++f) {
            const Pose then = device->pose_at_s(0, (f + missed) / 120.0);
            const Pose kept = pose_at(take.character.rig.skeleton, *take.take, f);
            // Of a bridged one the middle of its neighbours.
            const double most = is_bridged[size_t(f)] ? 0.05 : 2e-4;
            QVERIFY2((then.p[0] - kept.p[0]).norm() < most, qPrintable(QString::number(f)));
        }
    }

    void names_skeletons_stops_and_starts_are_told_apart() {
        const auto session = listening("walker", performer_);
        const Address address = address_of(session->shown().facts.address);
        session->set_target(dockhand_, {});
        const auto device = device_for(address, {{"walker", walk_}});
        QVERIFY(becomes([&] { return is_followed(*session); }));
        DeviceFaults faults;
        faults.has_wrong_name = true;
        device->set_faults(faults);
        QVERIFY(becomes([&] { return is_in(*session, LiveState::other_performer); }));
        QCOMPARE(session->shown().facts.performers, std::vector<std::string>{"somebody-1"});
        session->set_performer("somebody-1");
        QVERIFY(becomes([&] { return is_followed(*session); }));
        faults = {};
        faults.has_other_skeleton = true;
        device->set_faults(faults);
        session->set_performer("walker");
        QVERIFY(becomes([&] { return is_in(*session, LiveState::other_skeleton); }));
        QVERIFY(!session->shown().facts.missing.empty());
        device->set_faults({});
        QVERIFY(becomes([&] { return is_followed(*session); }));
        device->stop();
        QVERIFY(becomes([&] { return is_in(*session, LiveState::stopped); }));
        device->start();
        const long before = session->shown().posed;
        QVERIFY(becomes([&] { return is_followed(*session); }));
        QVERIFY(becomes([&] { return session->shown().posed > before + 60; }));
    }

    /// Nothing comes any more: the last pose is held, and what comes again is led in from it.
    void what_goes_stale_is_held_and_led_back() {
        const auto session = listening("a", nullptr, 0.0);
        const Address address = address_of(session->shown().facts.address);
        Line line(OutSettings::Way::bvh, address, false);
        PoseStream stream(walk_->character.rig.skeleton, walk_->take->translated, "a");
        QTRY_VERIFY(line.wants_skeleton(live_now_s()));
        line.send(bvh_way_skeleton("a", *stream.skeleton()));
        line.skeleton_sent(live_now_s());
        const auto send = [&](int take_frame, int number, double s) {
            StreamFrame frame;
            stream.write(pose_at(walk_->character.rig.skeleton, *walk_->take, take_frame), number, s, true,
                         frame);
            std::string text;
            append_bvh_way_frame(text, "a", frame);
            line.send(text);
        };
        for (int n = 0; n < 20; ++n) {
            send(10, n, n / 100.0);
            QTest::qWait(10);
        }
        QVERIFY(becomes([&] { return is_in(*session, LiveState::stale); }));
        Pose held, target;
        session->shown(&held, &target);
        QTest::qWait(300);
        Pose now = held;
        session->shown(&now, &target);
        QVERIFY((now.p[0] - held.p[0]).norm() == 0.0);
        // It goes on somewhere else: no leap.
        double longest = 0.0;
        Pose last = held;
        for (int n = 0; n < 60; ++n) {
            send(90, 100 + n, 1.0 + n / 100.0);
            QTest::qWait(10);
            session->shown(&now, &target);
            longest = std::max(longest, (now.p[0] - last.p[0]).norm());
            last = now;
        }
        const Pose there = pose_at(walk_->character.rig.skeleton, *walk_->take, 90);
        const double way = (there.p[0] - held.p[0]).norm();
        QVERIFY(way > 0.2);
        QVERIFY((now.p[0] - there.p[0]).norm() < 1e-3);
        QVERIFY2(longest < 0.6 * way, qPrintable(QString("%1 of %2").arg(longest).arg(way)));
    }

    void several_performers_come_over_one_line() {
        const auto session = listening("second");
        const auto device = device_for(address_of(session->shown().facts.address),
                                       {{"first", walk_}, {"second", take_named("lantern-signal")}});
        QVERIFY(becomes([&] { return is_followed(*session); }));
        QCOMPARE(session->shown().facts.performers, (std::vector<std::string>{"first", "second"}));
        QVERIFY(becomes([&] { return session->shown().has_pose; }));
        Pose source;
        const double t = session->shown(&source).t_s;
        QVERIFY((source.p[0] - device->pose_at_s(1, t).p[0]).norm() < 1e-3);
    }

    /// The line out is a line in: the target's pose comes as it was sent.
    void what_goes_out_comes_in_again() {
        for (const OutSettings::Way way : {OutSettings::Way::bvh, OutSettings::Way::osc}) {
            const auto second = listening("dockhand", dockhand_);
            const auto first = listening("walker", performer_);
            first->set_target(dockhand_, {});
            first->set_line_out(OutSettings{way, address_of(second->shown().facts.address), "dockhand"});
            const auto device = device_for(address_of(first->shown().facts.address), {{"walker", walk_}});
            QVERIFY(becomes([&] { return is_followed(*second) && second->shown().has_pose; }));
            QTest::qWait(200);
            device->stop();
            QTest::qWait(300);
            Pose source, target, came;
            QTRY_COMPARE_WITH_TIMEOUT(second->shown(&came).t_s, first->shown(&source, &target).t_s, 15000);
            for (size_t j = 0; j < target.p.size(); ++j) {
                QVERIFY2((target.p[j] - came.p[j]).norm() < 1e-4, dockhand_->rig.skeleton.names[j].c_str());
            }
            QVERIFY(first->shown().sent_out > 5);
        }
    }

    /// Killed: all but the last moment is there, and a take is made of it.
    void a_killed_program_loses_a_moment() {
        QProcess program;
        const QString port = QString::number(next_port++);
        program.start(NB_NBONE, {"listen", port, "--record", QString::fromStdString(at("killed"))});
        QVERIFY(program.waitForStarted());
        const auto device = device_for({"127.0.0.1", port.toInt()}, {{"walker", walk_}});
        QVERIFY(becomes([&] { return fs::exists(at("killed.live.csv")); }));
        QTest::qWait(1500);
        const long sent = device->sent();
        ::kill(pid_t(program.processId()), SIGKILL);
        program.waitForFinished();
        QVERIFY(!fs::exists(at("killed.bvh")));
        QCOMPARE(unfinished_recordings(folder_->path().toStdString()),
                 std::vector<std::string>{at("killed")});
        const std::string times = read_file(at("killed.live.csv"));
        const RecordedTake made = take_of_recording(at("killed"));
        QVERIFY2(made.frames >= sent - 12, qPrintable(QString("%1 of %2").arg(made.frames).arg(sent)));
        QVERIFY(unfinished_recordings(folder_->path().toStdString()).empty());
        // Not offered again when the take has gone elsewhere; made once more it is the same.
        fs::rename(at("killed.bvh"), at("elsewhere.bvh"));
        QVERIFY(unfinished_recordings(folder_->path().toStdString()).empty());
        QCOMPARE(take_of_recording(at("killed")).frames, made.frames);
        // Cut off in the middle of a line, too.
        std::string text = read_file(at("killed.live.bvh"));
        write_file(at("cut.live.bvh"), text.substr(0, text.size() - 37));
        write_file(at("cut.live.csv"), times.substr(0, times.size() - 5));
        QCOMPARE(take_of_recording(at("cut")).frames, made.frames - 1);
    }

    void a_full_disk_ends_the_recording_and_is_told() {
        rlimit before{};
        ::getrlimit(RLIMIT_FSIZE, &before);
        ::signal(SIGXFSZ, SIG_IGN);
        const rlimit small{20000, before.rlim_max};
        ::setrlimit(RLIMIT_FSIZE, &small);
        const auto session = listening("walker", nullptr, 0.03, at("full"));
        const auto device = device_for(address_of(session->shown().facts.address), {{"walker", walk_}});
        QTest::qWait(1000);
        const LiveSession::Shown shown = session->shown();
        ::setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY2(QString::fromStdString(shown.trouble).contains("takes no more"), shown.trouble.c_str());
        QVERIFY(!shown.is_recording && shown.has_pose);
        QVERIFY(take_of_recording(at("full")).frames > 5);
    }

    /// Hours at speed, on a clock of their own: memory stays. NB_LIVE_HOURS: how many.
    void memory_does_not_grow() {
        if (test::under_sanitizers()) QSKIP("the sanitizers keep what is freed");
        const double hours = qEnvironmentVariableIsSet("NB_LIVE_HOURS")
                                 ? qEnvironmentVariable("NB_LIVE_HOURS").toDouble()
                                 : 0.5;
        const Take& take = *walk_->take;
        LiveSolve solve(*performer_, *dockhand_, {});
        JitterBuffer buffer(0.05);
        const auto play = [&](long from, long to) {
            for (long n = from; n < to; ++n) {
                const double t = double(n) / 120.0;
                const int f = int(n % take.frames);
                if (n % 97 == 5) continue;
                if (buffer.arrive(n, t, t + 0.001 * double(n % 7)) == JitterBuffer::Came::anew) solve.clear();
                solve.add(n, t, take, f);
                solve.show(buffer.due_s(t));
            }
        };
        play(0, 20000);
        const size_t before = resident_bytes();
        play(20000, long(hours * 3600 * 120));
        const size_t after = resident_bytes();
        qInfo("%.1f hours: %.1f MB, then %.1f MB", hours, double(before) / 1e6, double(after) / 1e6);
        QVERIFY(after < before + 2000000);
        QVERIFY(solve.moments().size() < 400);
    }
};

NB_TEST(LiveSessionTest)
}  // namespace test_live_session
#include "test_live_session.moc"
