// What a person says of a take on a target: known again by place and size, kept in the pairing's document
// whatever the trim. Expectations follow from the definitions in core/review/judgement.hpp.
#include <QtTest>

#include "core/base/fault.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/pairing.hpp"
#include "tests/support/run_test.hpp"

namespace test_judgement {

using namespace nb;

class JudgementTest : public QObject {
    Q_OBJECT

    static ReviewEvent slide(int first, int last, double size) {
        ReviewEvent event;
        event.measure = "slide";
        event.row = "foot.left";
        event.first = first;
        event.last = last;
        event.worst_frame = first;
        event.size = size;
        return event;
    }

  private slots:
    void an_event_is_known_again_by_place_and_size() {
        TakeJudgement said;
        const FileFrames whole;
        judge(said, slide(100, 110, 2.0), whole, JudgedEvent::State::accepted, "the deck moves");
        QVERIFY(judged(said, slide(104, 120, 2.0), whole));
        QCOMPARE(judged(said, slide(104, 120, 2.0), whole)->note, std::string("the deck moves"));
        QVERIFY(judged(said, slide(100, 110, 2.4), whole));
        QVERIFY(!judged(said, slide(100, 110, 2.6), whole));  // grown by more than a quarter: open again
        QVERIFY(!judged(said, slide(110, 120, 2.0), whole));  // beside it
        ReviewEvent other = slide(100, 110, 2.0);
        other.row = "foot.right";
        QVERIFY(!judged(said, other, whole));
        QCOMPARE(open_count(said, {slide(100, 110, 2.0), slide(300, 310, 1.0), other}, whole), 2);
        // Said again, the last word holds; taken back, nothing does.
        judge(said, slide(102, 112, 1.0), whole, JudgedEvent::State::done, "");
        QCOMPARE(said.events.size(), size_t(1));
        QCOMPARE(said.events[0].state, JudgedEvent::State::done);
        judge_no_more(said, slide(100, 104, 9.0), whole);
        QVERIFY(said.is_empty());
    }
    void a_trim_and_another_rate_leave_it_in_its_place() {
        // 120 frames a second in the file, 60 in force, begun at frame 240 of the file.
        const FileFrames frames{2.0, 240};
        QCOMPARE(frames.to_file(30), 300);
        QCOMPARE(frames.from_file(300), 30);
        TakeJudgement said;
        judge(said, slide(30, 36, 2.0), frames, JudgedEvent::State::accepted, "");
        QCOMPARE(said.events[0].first, 300);
        QCOMPARE(said.events[0].last, 312);
        const FileFrames other{1.0, 290};
        QVERIFY(judged(said, slide(10, 22, 2.0), other));
        QVERIFY(!judged(said, slide(30, 36, 2.0), other));
        mark_frame(said, 300, "here");
        mark_frame(said, 120, "");
        mark_frame(said, 300, "here again");
        QCOMPARE(said.frames.size(), size_t(2));
        QCOMPARE(said.frames[0].frame, 120);
        QCOMPARE(said.frames[1].note, std::string("here again"));
        unmark_frame(said, 120);
        QCOMPARE(said.frames.size(), size_t(1));
    }
    void it_is_kept_in_the_pairing_with_what_others_wrote_beside_it() {
        Pairing pairing;
        pairing.id = make_uuid();
        pairing.source_id = make_uuid();
        pairing.target_id = make_uuid();
        TakeJudgement& said = pairing.judged["quay-walk"];
        said.verdict = Verdict::capture;
        said.note = "the rope is lost at the end";
        judge(said, slide(100, 110, 2.0), {}, JudgedEvent::State::accepted, "the deck moves");
        mark_frame(said, 412, "hand off the rope");
        Json document = pairing_document(pairing);
        document["judged"]["quay-walk"]["asked_of"] = "the second unit";
        document["judged"]["quay-walk"]["events"][0]["ticket"] = 71;
        const Pairing read = read_pairing(document, "there");
        QVERIFY(read.judged == pairing.judged);
        Pairing changed = read;
        changed.judged["quay-walk"].verdict = Verdict::polish;
        const Json again = pairing_document(changed);
        QCOMPARE(again["judged"]["quay-walk"]["verdict"].get<std::string>(), std::string("polish"));
        QCOMPARE(again["judged"]["quay-walk"]["asked_of"].get<std::string>(), std::string("the second unit"));
        QCOMPARE(again["judged"]["quay-walk"]["events"][0]["ticket"].get<int>(), 71);
        document["judged"]["quay-walk"]["verdict"] = "splendid";
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(document, "there"));
    }
};

NB_TEST(JudgementTest)
}  // namespace test_judgement
#include "test_judgement.moc"
