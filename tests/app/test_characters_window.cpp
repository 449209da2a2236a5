// Characters changed as a whole, in the window: a newer rig looked at, taken in, undone; families founded, joined, given to;
// templates written, read, filled by.
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QToolButton>

#include "app/change/change_page.hpp"
#include "app/dock/library_panel.hpp"
#include "app/dock/line_up.hpp"
#include "app/window/notice_bar.hpp"
#include "core/base/files.hpp"
#include "core/library/changes.hpp"
#include "tests/app/window_fixture.hpp"
#include "tests/support/glb_edit.hpp"

namespace test_characters_window {

using namespace nb;

class CharactersWindowTest : public test::WindowFixture {
    Q_OBJECT

    ChangePage& page() { return w().change(); }
    CharacterDesk& desk() { return w().characters(); }
    int target(const QString& name) {
        const auto& targets = w().workspace().targets();
        for (size_t i = 0; i < targets.size(); ++i)
            if (targets[i].name == name) return int(i);
        return -1;
    }
    Choice choice(const QString& name) { return w().workspace().targets()[size_t(target(name))]; }
    std::string bytes(const QString& path) { return read_file((library() + "/" + path).toStdString()); }
    QString newer_ferrier() {
        const QString path = folder_.filePath("newer.glb");
        test::edit_glb((library() + "/characters/ferrier/rig.glb").toStdString(), path.toStdString(),
                       [](Json& gltf) {
                           test::node_of(gltf, "humerus.l")["name"] = "upper_arm_left";
                           for (Json& x : test::node_of(gltf, "tibia.r")["translation"])
                               x = x.get<double>() * 1.1;
                       });
        return path;
    }
    /// Of a character's menu, by its words, as far as they go.
    bool trigger(const QString& character, const QString& words, const QString& below = {}) {
        auto* panel = w().findChild<LibraryPanel*>();
        QMenu* menu = panel->menu_of(true, target(character));
        bool is_found = false;
        for (QAction* action : menu->actions()) {
            if (!action->text().startsWith(words)) continue;
            if (below.isEmpty()) {
                action->trigger();
                is_found = true;
            } else if (action->menu()) {
                for (QAction* one : action->menu()->actions())
                    if (!is_found && one->text().startsWith(below)) {
                        one->trigger();
                        is_found = true;
                    }
            }
        }
        delete menu;
        return is_found;
    }
    bool lists(const QString& text) {
        for (int i = 0; i < page().lines()->count(); ++i)
            if (page().lines()->item(i)->text().contains(text)) return true;
        return false;
    }
    std::string bone_of(const char* role) {
        const Character& c = w().workspace().target()->file.character;
        const int joint = c.roles.joint(role);
        return joint < 0 ? "" : c.rig.skeleton.names[size_t(joint)];
    }

  private slots:
    void a_newer_rig_is_looked_at_taken_in_and_undone() {
        QVERIFY(choose_target("the ferrier"));
        const std::string before = bytes("characters/ferrier/character.json");
        const std::string rig = bytes("characters/ferrier/rig.glb");
        desk().look_at_newer(choice("the ferrier"), newer_ferrier());
        QTRY_VERIFY(page().isVisible());
        QVERIFY(lists("humerus.l is called upper_arm_left now"));
        QVERIFY(lists("58 of 58 roles"));
        QVERIFY(lists("the older rig stays"));
        // A line that is picked shows its place.
        page().lines()->setCurrentRow(1);
        const int change = page().lines()->item(1)->data(Qt::UserRole).toInt();
        QVERIFY(
            page().rigs()->rect().contains(page().rigs()->seen(page().rigs()->place_of(change)).toPoint()));
        // Left alone, nothing is another.
        QTest::mouseClick(page().leave_it(), Qt::LeftButton);
        QVERIFY(!page().isVisible());
        QVERIFY(bytes("characters/ferrier/rig.glb") == rig);
        QCOMPARE(w().undo_stack().count(), 0);

        desk().look_at_newer(choice("the ferrier"), newer_ferrier());
        QTRY_VERIFY(page().isVisible());
        QTest::mouseClick(page().take_in(), Qt::LeftButton);
        QVERIFY(!page().isVisible());
        QVERIFY(w().stage().isVisible());
        QTRY_COMPARE(bone_of("upperarm.left"), std::string("upper_arm_left"));
        QVERIFY(settled());
        w().action("undo")->trigger();
        QTRY_COMPARE(bone_of("upperarm.left"), std::string("humerus.l"));
        QVERIFY(settled());
        QVERIFY(bytes("characters/ferrier/rig.glb") == rig);
        QVERIFY(bytes("characters/ferrier/character.json") == before);
        w().action("redo")->trigger();
        QTRY_COMPARE(bone_of("upperarm.left"), std::string("upper_arm_left"));
        QVERIFY(settled());
        // The older is in the menu.
        QVERIFY(trigger("the ferrier", "Another version of its rig", "laid aside on"));
        QTRY_COMPARE(bone_of("upperarm.left"), std::string("humerus.l"));
        QVERIFY(settled());
        QVERIFY(bytes("characters/ferrier/rig.glb") == rig);
    }

    void unsaved_work_is_not_written_over() {
        QVERIFY(choose_target("the ferrier"));
        ChainTable chains = w().workspace().target()->file.character.chains;
        chains["arm.left"].soften_from = 0.9;
        w().undo_stack().push(new ChangeChains(w().workspace(), chains, "a chain"));
        desk().look_at_newer(choice("the ferrier"), newer_ferrier());
        QTRY_VERIFY(page().isVisible());
        const std::string rig = bytes("characters/ferrier/rig.glb");
        QTest::mouseClick(page().take_in(), Qt::LeftButton);
        QTRY_VERIFY(w().notice().line().contains("unsaved changes"));
        QVERIFY(bytes("characters/ferrier/rig.glb") == rig);
        // It is no step that could be undone.
        QCOMPARE(w().undo_stack().count(), 1);
    }

    void what_cannot_be_compared_is_told() {
        QVERIFY(choose_target("the ferrier"));
        const QString bad = folder_.filePath("bad.glb");
        write_file(bad.toStdString(), "no rig");
        desk().look_at_newer(choice("the ferrier"), bad);
        QTRY_VERIFY(w().notice().line().contains("bad.glb"));
        QVERIFY(!page().isVisible());
        QVERIFY(w().stage().isVisible());
    }

    void a_family_is_founded_joined_and_given_to() {
        // A younger ferrier: the same rig once more.
        Library of = open_library(library().toStdString());
        add_character(of, (library() + "/characters/ferrier/rig.glb").toStdString(), "", "young ferrier");
        w().workspace().open_library(library());
        QVERIFY(choose_target("the ferrier"));
        QVERIFY(trigger("the ferrier", "Found a family"));
        QCOMPARE(choice("the ferrier").family, QString("ferrier"));
        QVERIFY(trigger("young ferrier", "Join a family", "ferrier"));
        QCOMPARE(choice("young ferrier").family, QString("ferrier"));
        // They stand beside each other.
        const auto shown = w().findChild<LibraryPanel*>()->line_up()->shown();
        const auto at = std::find(shown.begin(), shown.end(), target("the ferrier"));
        QVERIFY(at != shown.end() && at + 1 != shown.end() && *(at + 1) == target("young ferrier"));

        QVERIFY(settled());
        ChainTable chains = w().workspace().target()->file.character.chains;
        chains["arm.left"].soften_from = 0.85;
        w().undo_stack().push(new ChangeChains(w().workspace(), chains, "a chain"));
        w().action("save")->trigger();
        QTRY_VERIFY(!w().workspace().is_busy());
        const std::string young = bytes("characters/young-ferrier/character.json");
        QVERIFY(trigger("the ferrier", "Give its work"));
        QTRY_VERIFY(page().isVisible());
        QTRY_VERIFY(!w().workspace().is_busy());
        QCOMPARE(desk().looked()->change->members.size(), size_t(2));
        for (int i = 0; i < 2; ++i)
            if (desk().looked()->change->members[size_t(i)].name == "young ferrier")
                page().members()->pick(i);
        QVERIFY(lists("takes the chain arm.left"));
        // Without chains there is nothing to give.
        auto* box = page().findChildren<QCheckBox*>()[2];
        QTest::mouseClick(box, Qt::LeftButton);
        QTRY_VERIFY(!desk().looked()->parts.chains);
        for (const auto& member : desk().looked()->change->members) QVERIFY(member.merge.taken.empty());
        QTest::mouseClick(box, Qt::LeftButton);
        QTRY_VERIFY(desk().looked()->parts.chains);
        QTest::mouseClick(page().take_in(), Qt::LeftButton);
        QVERIFY(bytes("characters/young-ferrier/character.json").find("0.85") != std::string::npos);
        w().action("undo")->trigger();
        QVERIFY(bytes("characters/young-ferrier/character.json") == young);
        QVERIFY(trigger("young ferrier", "Leave the family"));
        QCOMPARE(choice("young ferrier").family, QString());
        w().action("undo")->trigger();
        QCOMPARE(choice("young ferrier").family, QString("ferrier"));
    }

    void a_template_fills_rigs() {
        QVERIFY(choose_target("the ferrier"));
        const QString file = folder_.filePath("house.family.json");
        desk().write_template(choice("the ferrier"), file);
        QVERIFY(w().notice().line().contains("67 bones and 58 roles"));
        desk().read_template(file);
        QCOMPARE(desk().families().size(), size_t(1));
        desk().look_at_filling();
        QTRY_VERIFY(page().isVisible());
        QVERIFY(lists("'house', 67 of 67 bones by name"));
        QVERIFY(lists("quay-dog: none fits"));
        w().action("cancel")->trigger();
        QVERIFY(!page().isVisible());
        QVERIFY(choice("the ferrier").family.isEmpty());
        desk().look_at_filling();
        QTRY_VERIFY(page().isVisible());
        QTest::mouseClick(page().take_in(), Qt::LeftButton);
        QCOMPARE(choice("the ferrier").family, QString("house"));
        w().action("undo")->trigger();
        QVERIFY(choice("the ferrier").family.isEmpty());
        w().action("undo")->trigger();
        QVERIFY(desk().families().empty());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, CharactersWindowTest)
}  // namespace test_characters_window
#include "test_characters_window.moc"
