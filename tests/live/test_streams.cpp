// Both ways in and out, byte for byte and against other programs: netcat, and liblo's oscsend and oscdump (Debian packages
// netcat-openbsd and liblo-tools); Open Sound Control 1.0 (opensoundcontrol.org). The jitter buffer and the sentences.
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <random>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "live/bvh_way.hpp"
#include "live/jitter_buffer.hpp"
#include "live/line_out.hpp"
#include "live/osc_way.hpp"
#include "live/receiver.hpp"
#include "live/states.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_streams {

using namespace nb;

namespace {

const char* const pole =
    "HIERARCHY\nROOT hips\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation "
    "Yrotation\n"
    "JOINT mast\n{\nOFFSET 0 0.5 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 0.5 "
    "0\n}\n}\n}\n";

/// Keeps what it is told.
struct Kept : StreamSink {
    std::map<std::string, std::shared_ptr<const StreamSkeleton>> skeletons;
    std::vector<std::pair<std::string, StreamFrame>> frames;
    std::vector<std::string> ended, malformed_why;
    std::mutex mutex;
    void skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> one) override {
        const std::lock_guard lock(mutex);
        skeletons[performer] = std::move(one);
    }
    void frame(const std::string& performer, StreamFrame& one) override {
        const std::lock_guard lock(mutex);
        frames.emplace_back(performer, one);
    }
    void stopped(const std::string& performer) override {
        const std::lock_guard lock(mutex);
        ended.push_back(performer);
    }
    void malformed(const std::string& why) override {
        const std::lock_guard lock(mutex);
        malformed_why.push_back(why);
    }
    size_t count() {
        const std::lock_guard lock(mutex);
        return frames.size();
    }
};

/// A receiver at a port that is free.
std::unique_ptr<Receiver> receiver_for(StreamSink& sink, int from = 17300) {
    for (int port = from; port < from + 200; ++port) {
        try {
            return std::make_unique<Receiver>(Address{"127.0.0.1", port}, sink,
                                              [](double now) { return now + 1.0; });
        } catch (const FileError&) {
        }
    }
    return nullptr;
}

bool run(const QString& program, const QStringList& arguments, const QByteArray& input = {}) {
    QProcess process;
    process.start(program, arguments);
    process.write(input);
    process.closeWriteChannel();
    return process.waitForFinished(20000) && process.exitCode() == 0;
}

LiveFacts coming() {
    LiveFacts facts;
    facts.address = "127.0.0.1:7300";
    facts.connections = 1;
    facts.performers = {"ferrier"};
    facts.performer = "ferrier";
    facts.has_come = true;
    facts.account.came = 120;
    facts.account.fps = 120.0;
    return facts;
}

}  // namespace

class StreamsTest : public QObject {
    Q_OBJECT

  private slots:
    /// However it is cut into pieces, text is the same frames.
    void text_in_pieces_is_the_same() {
        const std::string text = "SKELETON a\n" + std::string(pole) +
                                 "MOTION\na 0 0.000000 1 2 3 0 0 90 10 0 0\r\n\n" +
                                 "a 1 0.016667 1 2 4 0 0 90 20 0 0\nEND a\n";
        std::mt19937 random(3);
        for (int round = 0; round < 50; ++round) {
            Kept kept;
            BvhWayIn way(kept);
            for (size_t at = 0; at < text.size();) {
                const size_t size = std::min(text.size() - at, size_t(1 + random() % (round + 1)));
                QVERIFY(way.take({text.data() + at, size}, 1.5));
                at += size;
            }
            QCOMPARE(kept.frames.size(), size_t(2));
            QVERIFY(kept.malformed_why.empty());
            const StreamFrame& second = kept.frames[1].second;
            QCOMPARE(second.number, 1L);
            QCOMPARE(second.sent_s, 0.016667);
            QCOMPARE(second.p[0], Vec3(1, 2, 4));
            QVERIFY(angle_between(second.R[1], axis_rotation(2, deg_to_rad(20))) < 1e-9);
            QCOMPARE(second.line, std::string("1 2 4 0 0 90 20 0 0"));
            QCOMPARE(kept.ended, std::vector<std::string>{"a"});
        }
    }

    void what_is_no_stream_is_told_and_not_followed() {
        const std::string head = "SKELETON a\n" + std::string(pole) + "MOTION\n";
        const std::vector<std::pair<std::string, QString>> cases{
            {"GET / HTTP/1.1\n", "whose SKELETON has not come"},
            {"SKELETON \n", "no performer's name"},
            {"SKELETON a\nROOT x\nMOTION\n", "HIERARCHY"},
            {head + "a 0 0.0 1 2 3\n", "fewer than 9 values"},
            {head + "a 0 0.0 1 2 3 0 0 0 0 0 0 7\n", "more than 9 values"},
            {head + "a 0 0.0 1 2 3 0 0 0 0 0 nan\n", "no number within bounds"},
            {head + "a 0 0.0 1 2 3 0 0 0 0 0 1e300\n", "no number within bounds"},
            {head + "a -4 0.0 1 2 3 0 0 0 0 0 0\n", "no number and seconds"},
            {head + "a 0 inf 1 2 3 0 0 0 0 0 0\n", "no number and seconds"},
            {head + "b 0 0.0 1 2 3 0 0 0 0 0 0\n", "'b', whose SKELETON has not come"},
        };
        for (const auto& [text, why] : cases) {
            Kept kept;
            BvhWayIn way(kept);
            way.take(text, 0.0);
            QVERIFY2(kept.frames.empty(), text.c_str());
            QCOMPARE(kept.malformed_why.size(), size_t(1));
            QVERIFY2(QString::fromStdString(kept.malformed_why[0]).contains(why),
                     kept.malformed_why[0].c_str());
            // The good ones after it are followed.
            way.take(head + "a 7 0.5 1 2 3 0 0 0 0 0 0\n", 0.0);
            QCOMPARE(kept.frames.size(), size_t(1));
        }
        Kept kept;
        BvhWayIn endless(kept);
        QVERIFY(!endless.take(std::string(longest_line + 10, 'x'), 0.0));
    }

    /// A frame out as OSC and in again is the frame, to a float's digits.
    void osc_there_and_back() {
        const LoadedFile file = test::demo_take("quay-walk");
        const Skeleton& skeleton = file.character.rig.skeleton;
        PoseStream out(skeleton, file.take->translated, "ferrier");
        Kept kept;
        int asked = 0;
        OscWayIn in(kept, [&] { ++asked; });
        StreamFrame sent;
        out.write(pose_at(skeleton, *file.take, 100), 100, 1.25, true, sent);
        // Frames first: the hierarchy is asked for.
        for (const std::string& datagram : osc_way_frame("ferrier", *out.skeleton(), sent))
            in.take(datagram, 2.0);
        QCOMPARE(asked, 1);
        QVERIFY(kept.frames.empty());
        for (const std::string& datagram : osc_way_skeleton("ferrier", *out.skeleton()))
            in.take(datagram, 2.0);
        QCOMPARE(kept.skeletons.size(), size_t(1));
        const StreamSkeleton& got = *kept.skeletons["ferrier"];
        QCOMPARE(got.file.skeleton.size(), skeleton.size());
        QCOMPARE(got.file.skeleton.end_sites.size(), skeleton.end_sites.size());
        for (const std::string& datagram : osc_way_frame("ferrier", *out.skeleton(), sent))
            in.take(datagram, 2.5);
        QCOMPARE(kept.frames.size(), size_t(1));
        const StreamFrame& came = kept.frames[0].second;
        QCOMPARE(came.number, 100L);
        QCOMPARE(came.sent_s, 1.25);
        QCOMPARE(came.arrived_s, 2.5);
        for (int j = 0; j < skeleton.size(); ++j) {
            const int there = out.skeleton()->file.skeleton.find(got.file.skeleton.names[size_t(j)]);
            QVERIFY(angle_between(came.R[size_t(j)], sent.R[size_t(there)]) < 1e-6);
        }
        // Its line in a recording says the same.
        StreamFrame read;
        std::string why;
        QVERIFY2(read_values(came.line, got, read, why), why.c_str());
        for (size_t j = 0; j < read.R.size(); ++j) QVERIFY(angle_between(read.R[j], came.R[j]) < 1e-6);
        // Told again the same, nothing begins anew.
        kept.skeletons.clear();
        for (const std::string& datagram : osc_way_skeleton("ferrier", *out.skeleton()))
            in.take(datagram, 3.0);
        QVERIFY(kept.skeletons.empty());
    }

    void osc_of_nobody_is_told() {
        Kept kept;
        OscWayIn in(kept, [] {});
        const auto word = [](std::string text) { return text.append(4 - text.size() % 4, '\0'); };
        for (const std::string& bytes :
             {std::string("hello"), std::string("hellohello12"),
              word("#bundle") + std::string(8, '\0') + "\x7f\xff\xff\xff",
              word("/live/skeleton") + word(",s") + word("a"), word("/live/joint") + word(",s"),
              word("/other") + word(",i") + std::string(4, '\0'),
              word("/live/frame") + word(",sid") + word("a b")}) {
            const size_t before = kept.malformed_why.size();
            in.take(bytes, 0.0);
            QCOMPARE(kept.malformed_why.size(), before + 1);
        }
        QVERIFY(kept.frames.empty() && kept.skeletons.empty());
    }

    /// Packets of both ways, spoilt by chance: none stops the good frames after it. NB_MUTATIONS: how many (tools/fuzz live
    /// for millions).
    void spoilt_packets_stop_nobody() {
        const int count =
            qEnvironmentVariableIsSet("NB_MUTATIONS") ? qEnvironmentVariableIntValue("NB_MUTATIONS") : 2000;
        const LoadedFile file = test::demo_take("lantern-signal");
        const Skeleton& skeleton = file.character.rig.skeleton;
        PoseStream out(skeleton, file.take->translated, "lamp");
        StreamFrame frame;
        out.write(pose_at(skeleton, *file.take, 5), 5, 0.5, true, frame);
        std::string line;
        append_bvh_way_frame(line, "lamp", frame);
        const std::string text = bvh_way_skeleton("lamp", *out.skeleton()) + line;
        std::vector<std::string> datagrams = osc_way_skeleton("lamp", *out.skeleton());
        for (const std::string& one : osc_way_frame("lamp", *out.skeleton(), frame)) datagrams.push_back(one);
        std::mt19937 random(20);
        const auto spoilt = [&](std::string bytes) {
            for (size_t i = 0, changes = 1 + random() % 4; i < changes && !bytes.empty(); ++i) {
                const size_t at = random() % bytes.size();
                switch (random() % 4) {
                    case 0:
                        bytes[at] = char(random());
                        break;
                    case 1:
                        bytes.erase(at, 1 + random() % 9);
                        break;
                    case 2:
                        bytes.insert(at, bytes.substr(random() % bytes.size(), 1 + random() % 40));
                        break;
                    default:
                        bytes.resize(at);
                }
            }
            return bytes;
        };
        for (int round = 0; round < count; ++round) {
            Kept kept;
            BvhWayIn way(kept);
            if (way.take(spoilt(text), 0.0)) {
                const size_t before = kept.frames.size();
                // Whatever was open is closed by what begins anew.
                way.take("\nMOTION\n" + text, 0.0);
                QVERIFY(kept.frames.size() > before);
            }
            Kept heard;
            OscWayIn osc(heard, [] {});
            for (const std::string& datagram : datagrams) osc.take(spoilt(datagram), 0.0);
            const size_t before = heard.frames.size();
            for (const std::string& datagram : datagrams) osc.take(datagram, 0.0);
            QVERIFY(heard.frames.size() > before);
        }
    }

    /// liblo's own sender: a pole, one message a datagram.
    void oscsend_is_followed() {
        Kept kept;
        const auto receiver = receiver_for(kept);
        QVERIFY(receiver);
        const QString port = QString::number(receiver->address().port);
        const auto send = [&](const QStringList& what) {
            return run("oscsend", QStringList{"127.0.0.1", port} + what);
        };
        QVERIFY(send({"/live/skeleton", "si", "pole", "2"}));
        QVERIFY(send({"/live/joint", "sissfffi", "pole", "0", "hips", "", "0", "0", "0", "1"}));
        QVERIFY(send({"/live/joint", "sissfffi", "pole", "1", "mast", "hips", "0", "0.5", "0", "0"}));
        QVERIFY(send({"/live/frame", "sid", "pole", "4", "0.25"}));
        QVERIFY(send({"/live/bone", "ssfffffff", "pole", "hips", "1", "2", "3", "0", "0", "0", "1"}));
        QVERIFY(send({"/live/bone", "ssfffffff", "pole", "mast", "0", "0.5", "0", "0", "0", "0.70710678",
                      "0.70710678"}));
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), size_t(1), 5000);
        const StreamFrame& frame = kept.frames[0].second;
        QCOMPARE(frame.number, 4L);
        QVERIFY((frame.p[0] - Vec3(1, 2, 3)).norm() < 1e-6);
        QVERIFY(angle_between(frame.R[1], axis_rotation(2, pi / 2)) < 1e-6);
        QVERIFY(kept.malformed_why.empty());
    }

    /// liblo's own receiver prints what goes out.
    void oscdump_reads_what_goes_out() {
        QProcess dump;
        dump.start("oscdump", {"-L", "17655"});
        if (!dump.waitForStarted()) QFAIL("oscdump is missing: tools/set-up --with-tests");
        QTest::qWait(300);
        const LoadedFile body = test::demo_body("dockhand");
        LineOut out({OutSettings::Way::osc, {"127.0.0.1", 17655}, "dockhand"}, body.character.rig.skeleton,
                    {});
        const Pose rest = rest_pose(body.character.rig.skeleton);
        for (int i = 0; i < 20; ++i) {
            out.send(rest, i, i / 60.0);
            QTest::qWait(20);
        }
        dump.terminate();
        dump.waitForFinished();
        const QString said = QString::fromUtf8(dump.readAllStandardOutput());
        const QString name = QString::fromStdString(body.character.rig.skeleton.names[0]);
        QVERIFY2(said.contains("/live/skeleton si \"dockhand\" " +
                               QString::number(body.character.rig.skeleton.size())),
                 said.left(2000).toUtf8());
        QVERIFY(said.contains("/live/frame sid \"dockhand\" 3 0.05"));
        QVERIFY(said.contains(QString("/live/bone ssfffffff \"dockhand\" \"%1\"").arg(name)));
    }

    void netcat_is_followed() {
        Kept kept;
        const auto receiver = receiver_for(kept);
        QVERIFY(receiver);
        QByteArray text = QByteArray("SKELETON pole\n") + pole + "MOTION\n";
        for (int i = 0; i < 500; ++i)
            text += QByteArray("pole %1 0 1 0 0 0 0 %2 0 0\n")
                        .replace("%1", QByteArray::number(i) + ' ' + QByteArray::number(i / 100.0))
                        .replace("%2", QByteArray::number(i % 90));
        QVERIFY(run("nc", {"-N", "127.0.0.1", QString::number(receiver->address().port)}, text));
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), size_t(500), 5000);
        QTRY_COMPARE_WITH_TIMEOUT(kept.ended.size(), size_t(1), 5000);
        QVERIFY(kept.malformed_why.empty());
    }

    void the_example_is_followed_both_ways() {
        for (const char* way : {"bvh", "osc"}) {
            Kept kept;
            const auto receiver = receiver_for(kept);
            QVERIFY(run("/usr/bin/python3", {NB_SOURCE_DIR "/tools/stream-example", way,
                                             QString::number(receiver->address().port), "0.5"}));
            QTRY_COMPARE_WITH_TIMEOUT(kept.count(), size_t(30), 5000);
            QCOMPARE(kept.frames[0].first, std::string("signaller"));
            QVERIFY2(kept.malformed_why.empty(),
                     kept.malformed_why.empty() ? "" : kept.malformed_why[0].c_str());
            const StreamFrame& last = kept.frames.back().second;
            QVERIFY(angle_between(last.R[1], axis_rotation(2, deg_to_rad(40 * std::sin(3 * last.sent_s)))) <
                    1e-4);
            QTRY_COMPARE_WITH_TIMEOUT(kept.ended.size(), size_t(1), 5000);
        }
    }

    void a_taken_port_and_a_far_address_are_told() {
        Kept kept;
        const auto receiver = receiver_for(kept);
        QVERIFY_THROWS_EXCEPTION(FileError,
                                 Receiver(receiver->address(), kept, [](double now) { return now + 1; }));
        try {
            const Receiver again(receiver->address(), kept, [](double now) { return now + 1; });
        } catch (const FileError& fault) {
            QVERIFY(QString(fault.what()).contains("the port is taken"));
        }
        for (const char* wrong : {"7300x", "a:7300", "127.0.0.1:0", "127.0.0.1:99999", "", "::1"})
            QVERIFY_THROWS_EXCEPTION(FileError, address_of(wrong));
        QCOMPARE(address_of("localhost:81").text(), std::string("127.0.0.1:81"));
        QCOMPARE(address_of("7301").text(), std::string("127.0.0.1:7301"));
        // Beyond this machine only when that is asked for.
        QVERIFY_THROWS_EXCEPTION(FileError, Line(OutSettings::Way::osc, {"192.0.2.1", 7400}, false));
        const Line asked(OutSettings::Way::osc, {"192.0.2.1", 7400}, true);
    }

    void the_buffer_counts_what_is_late_twice_and_missing() {
        JitterBuffer buffer(0.05);
        using Came = JitterBuffer::Came;
        const auto arrive = [&](int number, double more) {
            return buffer.arrive(number, number / 100.0, 10.0 + number / 100.0 + more);
        };
        for (int n = 0; n < 50; ++n) QCOMPARE(arrive(n, n % 3 * 0.01), Came::in_time);
        QCOMPARE(arrive(20, 0.3), Came::twice);
        QCOMPARE(arrive(51, 0.0), Came::in_time);  // 50 is missing
        QCOMPARE(buffer.account(10.52).missing, 1);
        QCOMPARE(arrive(50, 0.04), Came::in_time);  // and comes after all
        QCOMPARE(buffer.account(10.52).missing, 0);
        QCOMPARE(buffer.account(10.52).swapped, 1);
        QCOMPARE(arrive(52, 0.09), Came::late);
        const JitterBuffer::Account account = buffer.account(10.62);
        QCOMPARE(account.late, 1);
        QCOMPARE(account.twice, 1);
        QVERIFY(std::abs(account.fps - 100.0) < 1e-6);
        QVERIFY(std::abs(account.spread_s - 0.31) < 1e-9 || std::abs(account.spread_s - 0.3) < 1e-9);
        // The quickest way counts: shown when the slowest that is allowed would have come.
        QVERIFY(std::abs(buffer.shown_at_s(1.0) - 11.05) < 1e-9);
        QVERIFY(std::abs(buffer.due_s(11.05) - 1.0) < 1e-9);
    }

    void a_clock_that_begins_anew_is_followed() {
        JitterBuffer buffer(0.05);
        for (int n = 0; n < 1000; ++n) buffer.arrive(n, n / 100.0, 5.0 + n / 100.0);
        QCOMPARE(buffer.arrive(0, 0.0, 17.0), JitterBuffer::Came::anew);
        QVERIFY(std::abs(buffer.shown_at_s(0.0) - 17.05) < 1e-9);
        QCOMPARE(buffer.arrive(1, 0.01, 17.01), JitterBuffer::Came::in_time);
    }

    /// A slower clock at the sender: what is shown goes along, and nothing becomes late.
    void clocks_that_drift_are_followed() {
        JitterBuffer buffer(0.02);
        int late = 0;
        for (int n = 0; n < 100 * 600; ++n)
            late += buffer.arrive(n, n / 100.0, n / 100.0 * (1.0 + 1e-4)) == JitterBuffer::Came::late;
        QCOMPARE(late, 0);
    }

    /// A sender that was held up goes on from there, its clock 0.3 s behind: after half a second it is followed. One that only
    /// has many late packets is not.
    void a_clock_that_stood_still_is_followed() {
        JitterBuffer buffer(0.05);
        int late = 0;
        for (int n = 0; n < 300; ++n)
            late += buffer.arrive(n, n / 100.0, n / 100.0 + (n < 100 ? 0.0 : 0.3 + n % 3 * 0.01)) ==
                    JitterBuffer::Came::late;
        QVERIFY2(late >= 50 && late <= 55, qPrintable(QString::number(late)));
        QVERIFY(std::abs(buffer.shown_at_s(3.0) - 3.35) < 1e-9);
        JitterBuffer steady(0.05);
        for (int n = 0; n < 300; ++n) steady.arrive(n, n / 100.0, n / 100.0 + (n % 10 == 0 ? 0.0 : 0.3));
        QVERIFY(std::abs(steady.shown_at_s(3.0) - 3.05) < 1e-9);
    }

    void each_state_has_a_sentence_and_what_to_do() {
        const auto check = [](const LiveFacts& facts, LiveState state, const QString& says,
                              const QString& to_do) {
            const LiveTold said = told(facts);
            QCOMPARE(live_state_name(said.state), live_state_name(state));
            QVERIFY2(QString::fromStdString(said.sentence).contains(says), said.sentence.c_str());
            QVERIFY2(QString::fromStdString(said.remedy).contains(to_do), said.remedy.c_str());
        };
        check({}, LiveState::closed, "Nobody listens", "listen");
        LiveFacts facts;
        facts.refused = "127.0.0.1:7300: the port is taken";
        check(facts, LiveState::port_taken, "taken", "another port");
        facts = {};
        facts.address = "127.0.0.1:7300";
        check(facts, LiveState::waiting, "nobody is connected", "give it this address");
        facts.connections = 1;
        check(facts, LiveState::waiting, "is connected", "press play");
        facts.malformed = 3;
        facts.last_malformed = "a datagram is no OSC packet";
        check(facts, LiveState::waiting, "no OSC packet", "docs/live.md");
        facts = coming();
        facts.performer = "dockhand";
        check(facts, LiveState::other_performer, "dockhand does not come; here is ferrier", "choose");
        facts = coming();
        facts.fits = false;
        facts.missing = {"thigh_l", "thigh_r"};
        check(facts, LiveState::other_skeleton, "2 are missing: thigh_l, thigh_r", "own body");
        check(coming(), LiveState::comes, "120 frames a second", "");
        facts = coming();
        facts.account.late = 30;
        facts.account.spread_s = 0.083;
        check(facts, LiveState::lossy, "25 %", "90 ms");
        facts.account.late = 0;
        facts.account.missing = 30;
        check(facts, LiveState::lossy, "30 never came", "line");
        facts = coming();
        facts.since_s = 1.2;
        check(facts, LiveState::stale, "1.2 s: the last pose is held", "sender plays");
        facts = coming();
        facts.performers.clear();
        facts.has_stopped = true;
        check(facts, LiveState::stopped, "stopped", "Transfer");
    }

    /// Senders that are slow, silent, wrong or many: the good one is followed all the same.
    void hostile_senders_do_not_stop_the_good_one() {
        Kept kept;
        const auto receiver = receiver_for(kept);
        const QString port = QString::number(receiver->address().port);
        std::vector<std::unique_ptr<QProcess>> silent;
        for (int i = 0; i < 12; ++i) {
            silent.push_back(std::make_unique<QProcess>());
            silent.back()->start("nc", {"127.0.0.1", port});
            silent.back()->waitForStarted();
        }
        QTest::qWait(200);
        QProcess good;
        good.start("nc", {"127.0.0.1", port});
        good.waitForStarted();
        good.write(QByteArray("SKELETON pole\n") + pole + "MOTION\n");
        QProcess flood;
        flood.start("/bin/sh", {"-c", "yes /live/what | nc 127.0.0.1 " + port});
        QProcess endless;
        endless.start("/bin/sh",
                      {"-c", "(printf 'SKELETON x\\nHIERARCHY\\n'; yes 'ROOT a {') | nc 127.0.0.1 " + port});
        QProcess datagrams;
        datagrams.start("/bin/sh", {"-c", "head -c 3000000 /dev/urandom | nc -u -w 1 127.0.0.1 " + port});
        QProcess thief;
        thief.start("nc", {"127.0.0.1", port});
        thief.waitForStarted();
        for (int i = 0; i < 200; ++i) {
            good.write(QByteArray("pole ") + QByteArray::number(i) + ' ' + QByteArray::number(i / 100.0) +
                       " 0 1 0 0 0 0 0 0 0\n");
            good.waitForBytesWritten(1000);
            if (i == 50)
                thief.write(QByteArray("SKELETON pole\n") + pole + "MOTION\npole 99 0 0 1 0 0 0 0 0 0 0\n");
            for (auto& one : silent) one->write("S");
            QTest::qWait(5);
        }
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), size_t(200), 10000);
        {
            const std::lock_guard lock(kept.mutex);
            for (size_t i = 0; i < 200; ++i) {
                QCOMPARE(kept.frames[i].second.number, long(i));
                QCOMPARE(kept.frames[i].first, std::string("pole"));
            }
            QVERIFY(kept.ended.empty());
        }
        const Receiver::Counts counts = receiver->counts();
        QVERIFY(counts.connections <= Receiver::most_connections);
        QVERIFY(counts.malformed > 100 && counts.refused > 0);
        for (QProcess* process : {&flood, &endless, &datagrams, &good, &thief}) {
            process->kill();
            process->waitForFinished();
        }
        for (auto& one : silent) {
            one->kill();
            one->waitForFinished();
        }
    }
};

NB_TEST(StreamsTest)
}  // namespace test_streams
#include "test_streams.moc"
