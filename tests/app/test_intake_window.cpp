// The Intake station: what is in the files, repairs by a click and their undo, trimming by handle and by
// typed frames, re-proportioning, the limbering take; kept with the take, through a crash.
#include <fmt/format.h>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QPushButton>
#include <QToolButton>

#include <QSpinBox>
#include <map>

#include "app/stations/intake/along_form.hpp"
#include "app/stations/intake/intake_panel.hpp"
#include "app/stations/intake/intake_sheet.hpp"
#include "app/stations/intake/things_form.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/stations/roles/roles_panel.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/transport.hpp"
#include "app/work/take_sound.hpp"
#include "core/base/files.hpp"
#include "core/body/measures.hpp"
#include "core/files/bvh.hpp"
#include "core/solve/hold.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_intake_window {

using namespace nb;

class IntakeWindowTest : public test::WindowFixture {
    Q_OBJECT

    const LoadedFile& source() { return w().workspace().source()->file; }
    void to_intake() {
        QTest::keyClick(&w(), Qt::Key_F1);
        QVERIFY(w().part<IntakePanel>().isVisible() && w().part<IntakeSheet>().isVisible());
    }
    const Finding* finding(const std::string& kind) {
        for (const Finding& f : w().part<IntakePanel>().findings())
            if (f.kind == kind) return &f;
        return nullptr;
    }
    /// The button of the panel whose tool tip is the repair.
    QPushButton* repair_button(const QString& text) {
        for (auto* button : w().part<IntakePanel>().findChildren<QPushButton*>())
            if (button->accessibleName() == text) return button;
        return nullptr;
    }
    void click(QPushButton* button) {
        QVERIFY(button);
        QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(settled());
    }
    void undo() {
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(settled());
    }
    void type(const QString& name, const QString& text) {
        QWidget* box = named<QSpinBox>(name);
        if (!box) box = named<QDoubleSpinBox>(name);
        QVERIFY2(box, qPrintable(name));
        box->setFocus();
        QTest::keySequence(box, QKeySequence::SelectAll);
        QTest::keyClicks(box, text);
        QTest::keyClick(box, Qt::Key_Return);
        QVERIFY(settled());
    }
    /// A walk whose rate is odd and in which one elbow breaks once, dropped onto the window.
    void open_faulty() {
        std::string text = read_file(test::demo("takes/quay-walk.bvh"));
        const size_t at = text.find("Frame Time:");
        const size_t end = text.find('\n', at);
        text.replace(at, end - at, "Frame Time: 0.0340136");
        write_file(folder_.filePath("odd.bvh").toStdString(), text);
        drop({folder_.filePath("odd.bvh")});
        QVERIFY(QTest::qWaitFor([this] { return source().character.rig.name == "odd"; }, 10000));
        QVERIFY(settled());
    }

  private slots:
    void a_file_is_told_and_repaired_by_a_click() {
        to_intake();
        open_faulty();
        const Finding* rate = finding("frame rate");
        QVERIFY(rate && rate->state == Finding::State::open);
        QVERIFY(w().part<IntakePanel>().open_points() >= 1);
        const QString repair = QString::fromStdString(rate->repair);
        click(repair_button(repair));
        QCOMPARE(source().take->fps(), 30.0);
        QCOMPARE(w().playback().frames(), source().take->frames);
        QVERIFY(finding("frame rate")->state == Finding::State::done);
        QVERIFY(w().workspace().has_unsaved_changes());
        undo();
        QVERIFY(std::abs(source().take->fps() - 29.4) < 0.01);
        QVERIFY(!w().workspace().has_unsaved_changes());
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(settled());
        QCOMPARE(source().take->fps(), 30.0);
        // The card's own way back does the same.
        click(repair_button(QString::fromStdString(finding("frame rate")->repair)));
        QVERIFY(std::abs(source().take->fps() - 29.4) < 0.01);
    }

    void trimmed_by_handle_and_by_typing_and_kept() {
        to_intake();
        const int whole = source().file_frames;
        IntakeSheet& sheet = w().part<IntakeSheet>();
        const QPoint from = sheet.handle(0).toPoint();
        const QPoint to(int(sheet.x_of(0.25 * whole)), from.y());
        QTest::mousePress(&sheet, Qt::LeftButton, {}, from);
        QTest::mouseMove(&sheet, to);
        QTest::mouseRelease(&sheet, Qt::LeftButton, {}, to);
        QVERIFY(settled());
        const int first = source().character.rig.options.trim_first;
        QVERIFY2(std::abs(first - 0.25 * whole) < 0.02 * whole, qPrintable(QString::number(first)));
        QCOMPARE(source().take->frames, whole - first);
        QCOMPARE(source().file_frames, whole);
        type("last frame", QString::number(whole - 11));
        QCOMPARE(source().take->frames, whole - first - 10);
        QVERIFY(named<QSpinBox>("first frame")->value() == first);
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(!w().workspace().has_unsaved_changes(), qPrintable(w().notice().line()));
        const std::string text = read_file((library() + "/takes/quay-walk.take.json").toStdString());
        QVERIFY(text.find("\"first\": " + std::to_string(first)) != std::string::npos);
        QVERIFY(text.find("\"set\"") != std::string::npos);  // what else it holds stays
        // Another start of the program has it so.
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(settled());
        QCOMPARE(source().take->frames, whole - first - 10);
    }

    void the_source_is_re_proportioned_by_typing() {
        to_intake();
        const auto legs = [this] {
            return leg_length(source().character.rig.skeleton, source().character.roles);
        };
        const double own = legs();
        type("the legs", "85");
        QVERIFY(std::abs(legs() / own - 0.85) < 1e-6);
        QVERIFY(finding("proportions"));
        undo();
        QVERIFY(std::abs(legs() / own - 1.0) < 1e-9);
    }

    void limbering_leaves_only_its_certificate() {
        to_intake();
        QTest::mouseClick(w().part<IntakePanel>().findChildren<QPushButton*>()[1],
                          Qt::LeftButton);  // target's file
        QVERIFY(w().part<IntakePanel>().is_of_target());
        const auto before = w().workspace().source();
        QPushButton* limber = nullptr;
        for (auto* button : w().part<IntakePanel>().findChildren<QPushButton*>())
            if (button->text().contains("limbering")) limber = button;
        QVERIFY(limber);
        QTest::mouseClick(limber, Qt::LeftButton);
        QVERIFY(QTest::qWaitFor([this] { return w().workspace().is_limbering(); }, 10000));
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().startsWith("Limbering"));
        QVERIFY(w().playback().is_playing());
        const QString certificate = library() + "/characters/ferrier/certificate.json";
        QVERIFY(QTest::qWaitFor([&] { return QFile::exists(certificate); }, 10000));
        QVERIFY(read_file(certificate.toStdString()).find("direction_error_deg") != std::string::npos);
        QTest::mouseClick(limber, Qt::LeftButton);
        QVERIFY(settled());
        QVERIFY(w().workspace().source() == before);
        QVERIFY(w().sentence().sentence().startsWith("Quay walk"));
        QVERIFY(!w().workspace().has_unsaved_changes());
        QVERIFY(!QDir(library() + "/pairings").exists() ||
                QDir(library() + "/pairings").entryList({"*.json"}).size() ==
                    QDir(QString::fromStdString(test::demo("pairings"))).entryList({"*.json"}).size());
    }

    void a_crash_loses_no_trim() {
        to_intake();
        const int whole = source().file_frames;
        type("first frame", "40");
        QCOMPARE(source().take->frames, whole - 40);
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(QTest::qWaitFor(
            [&] { return w().workspace().source() && source().take->frames == whole - 40; }, 15000));
        QVERIFY(settled());
        QVERIFY(w().workspace().has_unsaved_changes());
        w().workspace().drop_recovery();
    }

    /// A rig in which no legs can be found comes onto the stage all the same, waits, and moves once it has
    /// its roles.
    void a_rig_without_a_body_waits_for_its_roles() {
        SkeletonFile body = test::random_body(21);
        for (std::string& name : body.skeleton.names)
            name = fmt::format("k{}", &name - body.skeleton.names.data());
        // One leg is a stump: no two pairs of limbs.
        const int shin = test::random_body(21).skeleton.find("shin_left");
        const std::vector<std::string> told = test::random_body(21).skeleton.names;
        for (int j = 0; j < body.skeleton.size(); ++j)
            if (j == shin || body.skeleton.is_ancestor(shin, j)) body.skeleton.rest_p[size_t(j)] *= 0.3;
        for (EndSite& site : body.skeleton.end_sites)
            if (body.skeleton.is_ancestor(shin, site.joint)) site.offset_m *= 0.3;
        body.take.frames = 1;
        body.take.joints = body.skeleton.size();
        body.take.R = body.skeleton.rest_R;
        body.take.frame_time_text = "0.0333333";
        const std::string path = folder_.filePath("stump.bvh").toStdString();
        write_file(path, format_bvh(body));
        w().workspace().open_file(QString::fromStdString(path), true);
        QVERIFY(QTest::qWaitFor(
            [this] { return w().workspace().target()->file.character.rig.name == "stump"; }, 10000));
        QVERIFY(QTest::qWaitFor([this] { return !w().workspace().is_busy(); }, 10000));
        const auto rig = [this]() -> const Character& { return w().workspace().target()->file.character; };
        std::string why;
        if (can_be_transferred(rig().roles, why)) QSKIP("the shape reading has found it all the same");
        QTest::keyClick(&w(), Qt::Key_F2);
        stage_picture();  // draws it at rest
        for (const auto& [role, name] : std::map<std::string, std::string>{{"hips", "hips"},
                                                                           {"thigh.left", "thigh_left"},
                                                                           {"shin.left", "shin_left"},
                                                                           {"foot.left", "foot_left"},
                                                                           {"thigh.right", "thigh_right"},
                                                                           {"shin.right", "shin_right"},
                                                                           {"foot.right", "foot_right"}}) {
            const auto at = std::find(told.begin(), told.end(), name);
            if (at == told.end()) continue;
            w().part<RailsView>().pick(QString::fromStdString(role), true);
            w().part<RolesPanel>().give(int(at - told.begin()));
        }
        QVERIFY2(can_be_transferred(rig().roles, why), why.c_str());
        QVERIFY(settled());
        QVERIFY(w().workspace().result());
    }
    /// Sound and fingers are chosen, drawn, shifted, taken away again, each to be undone; a wrong file changes nothing.
    void what_goes_along_is_chosen_and_undone() {
        QVERIFY(choose_take("Lantern signal"));
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("intake"));
        auto& form = w().part<AlongForm>();
        QVERIFY(form.isVisible());
        const auto options = [this]() -> const LoadOptions& {
            return w().workspace().source()->file.character.rig.options;
        };
        const auto read = [this] {
            QTest::qWait(100);
            return QTest::qWaitFor([this] { return !w().workspace().is_busy(); }, 20000);
        };
        auto& player = w().part<TakeSoundPlayer>();
        QVERIFY2(!player.sound(), qPrintable(w().workspace().take_name()));
        auto& line = *w().transport().time_line();
        const QImage bare = line.grab().toImage();
        form.set_sound(library() + "/takes/quay-walk.wav");
        QVERIFY(read());
        QCOMPARE(QString::fromStdString(options().sound.file),
                 QString("quay-walk.wav"));  // beside the take: by its name
        QVERIFY(QTest::qWaitFor([&] { return player.sound() != nullptr; }, 5000));
        QVERIFY(line.grab().toImage() != bare);
        auto* begin = named<QDoubleSpinBox>("begin of the sound");
        begin->setFocus();
        begin->selectAll();
        QTest::keyClicks(begin, "0.25");
        QTest::keyClick(begin, Qt::Key_Return);
        QVERIFY(read());
        QVERIFY(std::abs(options().sound.offset_s - 0.25) < 1e-9);
        // From its first frame on there is a quarter of a second of silence, then the sound.
        QVERIFY(std::abs(player.time_s(0) + 0.25) < 1e-9);
        const QByteArray heard = player.heard_from(0);
        const int rate = player.sound()->rate;
        for (int i = 0; i < rate / 4 - 1; ++i) QCOMPARE(int(heard[2 * i]) | int(heard[2 * i + 1]), 0);
        QVERIFY(heard.mid(rate / 2).count('\0') < heard.size() / 2);
        w().playback().play(true);  // without a device to play on it is silent, and goes on
        QTest::qWait(150);
        w().playback().play(false);
        QVERIFY(w().playback().frame() > 0);

        // The performer has no fingers: the ferrier's from the shipped take come new.
        const size_t bones = w().workspace().source()->file.character.rig.skeleton.names.size();
        form.add_part(library() + "/takes/limbering.bvh");
        QVERIFY(read());
        QCOMPARE(options().along.size(), size_t(1));
        QVERIFY(w().workspace().source()->file.character.rig.skeleton.names.size() >= bones + 28);
        QVERIFY(settled());
        // They have their roles, and move the ferrier's.
        const Character& heard_of = w().workspace().source()->file.character;
        QVERIFY(heard_of.roles.joint("index.1.left") >= 0 && heard_of.roles.joint("thumb.2.right") >= 0);
        const Plan& plan = *w().workspace().plan();
        QVERIFY(std::none_of(
            plan.report.partners.begin(), plan.report.partners.end(),
            [](const auto& missing) { return missing.role.find("index") != std::string::npos; }));
        // A wrong file is told in one line, and all is as it was.
        form.add_part(library() + "/library.json");
        QVERIFY(read());
        QCOMPARE(options().along.size(), size_t(1));
        while (w().undo_stack().canUndo()) {
            w().undo_stack().undo();
            QVERIFY(read());
        }
        QVERIFY(options().along.empty() && options().sound.file.empty());
        QCOMPARE(w().workspace().source()->file.character.rig.skeleton.names.size(), bones);
        QVERIFY(!player.sound());
    }

    /// A mesh is dropped on the window, brought into the hand, dragged by its arms, and carried by the target; all undone.
    void a_thing_is_put_on_the_stage_and_given_to_a_hand() {
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(settled());
        w().playback().go_to(90);
        const auto things = [this]() -> const std::vector<StageThing>& {
            return source().character.rig.options.things;
        };
        const auto read = [this] {
            QTest::qWait(100);
            return QTest::qWaitFor([this] { return !w().workspace().is_busy(); }, 20000) && settled();
        };
        const auto button = [this](const QString& text) -> QToolButton* {
            for (auto* one : w().part<ThingsForm>().findChildren<QToolButton*>())
                if (one->text() == text && one->isVisible()) return one;
            return nullptr;
        };
        const size_t shown = w().workspace().source()->props.size();
        w().open_files({library() + "/set/crate.glb"});
        QVERIFY(read());
        QCOMPARE(things().size(), size_t(1));
        QVERIFY2(w().part<IntakePanel>().isVisible() && w().part<ThingsForm>().isVisible(),
                 "the station goes to where it is placed");
        QCOMPARE(w().workspace().source()->props.size(), shown + 1);
        QVERIFY(things()[0].held_by.empty());
        const int joint = source().character.rig.skeleton.find("crate");
        QVERIFY(joint >= 0);
        QCOMPARE(w().stage().selected_joint(), joint);

        // By an arm upward; it follows the pointer before it is let go.
        const auto place = [&] {
            Pose S, T;
            w().workspace().poses_at(w().playback().frame(), S, T);
            return Vec3(S.p[size_t(joint)]);
        };
        const Vec3 stood = place();
        const auto arms = w().stage().place_handle();
        QVERIFY(arms.has_value());
        QVERIFY((arms->centre_m - stood).y() < 1e-6);
        const QPoint up = arms->grip(w().stage().camera(), w().stage().size(), 1).toPoint();
        drag(w().stage(), up, up - QPoint(0, 30));
        QVERIFY(read());
        const Vec3 raised = place();
        QVERIFY2(raised.y() > stood.y() + 0.03 && std::abs(raised.x() - stood.x()) < 1e-6,
                 qPrintable(QString("%1 %2").arg(stood.y()).arg(raised.y())));

        // The right hand takes it, here.
        QComboBox* who = nullptr;
        for (auto* one : w().part<ThingsForm>().findChildren<QComboBox*>())
            if (one->isVisible()) who = one;
        QVERIFY(who);
        who->setFocus();
        QTest::keyClick(who, Qt::Key_Down);
        QTest::keyClick(who, Qt::Key_Down);
        QVERIFY(read());
        QCOMPARE(things()[0].held_by, std::string("right"));
        QVERIFY(button("into the hand here"));
        QTest::mouseClick(button("into the hand here"), Qt::LeftButton);
        QVERIFY(read());
        const double dt = source().take->frame_time_s;
        QVERIFY(std::abs(things()[0].from_s - source().take->start_s - 90 * dt) < 1e-6);
        const Vec3 hand = [&] {
            Pose S, T;
            w().workspace().poses_at(90, S, T);
            return Vec3(S.p[size_t(source().character.roles.joint("hand.right"))]);
        }();
        QVERIFY((place() - hand).norm() < 0.6);
        // On the target the hand lies on it: a hundred frames on as now.
        const Plan& plan = *w().workspace().plan();
        const int own = w().workspace().target()->file.character.roles.joint("hand.right");
        const auto in_thing = [&](int f) {
            Pose S, T;
            w().workspace().poses_at(f, S, T);
            return Vec3(inverse(thing_beside(plan.program, joint, {S.R, S.p, w().workspace().time_s(f)},
                                             {T.R, T.p})) *
                        T.p[size_t(own)]);
        };
        QVERIFY((in_thing(150) - in_thing(200)).norm() < 2e-3);
        // Gone with the arms' button unticked: nothing to drag; off the stage; and back by undo.
        QTest::mouseClick(button("arms on the stage"), Qt::LeftButton);
        QTest::qWait(50);
        QVERIFY(!w().stage().place_handle());
        while (w().undo_stack().canUndo()) {
            w().undo_stack().undo();
            QVERIFY(read());
        }
        QVERIFY(things().empty());
        QVERIFY(source().character.rig.skeleton.find("crate") < 0);

        // Dropped on the floor of the stage it stands there, wherever the bodies are.
        const QPoint at(w().stage().width() / 3, w().stage().height() - 40);
        const auto floor = w().stage().floor_of_source_at(at);
        QVERIFY(floor.has_value() && floor->y() == 0.0);
        drop({library() + "/set/crate.glb"}, w().stage().mapTo(&w(), at));
        QVERIFY(read());
        QCOMPARE(things().size(), size_t(1));
        QVERIFY((things()[0].at_m - *floor).norm() < 1e-9);
        QVERIFY(!w().stage().floor_of_source_at(QPointF(-5, 10)));
        w().undo_stack().undo();
        QVERIFY(read());
        QVERIFY(things().empty());

        // With a take of its own it goes onto neither: which one is not said.
        w().open_files({library() + "/set/crate.glb", library() + "/takes/haul-rope.bvh"});
        QVERIFY(read());
        QVERIFY2(w().workspace().take_name().contains("Haul rope"), qPrintable(w().workspace().take_name()));
        QVERIFY(things().empty());
        QVERIFY(w().part<NoticeBar>().line().contains("drop it by itself"));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, IntakeWindowTest)
}  // namespace test_intake_window
#include "test_intake_window.moc"
