// Characterization beyond the proposal: body plans as files, the check, reuse, whole chains, twist shares,
// and open standards: VRM 1.0 against its reference reader (npm @pixiv/three-vrm, pinned in tests/node),
// ISO/IEC 19774-1 joint names (from memory).
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <QtTest>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/check.hpp"
#include "core/body/propose.hpp"
#include "core/body/reuse.hpp"
#include "core/body/standards.hpp"
#include "core/documents/roles.hpp"
#include "core/handover/vrm.hpp"
#include "core/library/library.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/variants.hpp"

namespace test_standards {

using namespace nb;

namespace {

LoadedFile crew_member(const std::string& name) {
    std::vector<std::string> notes;
    const std::string folder = test::demo("characters/" + name);
    return load_character(folder + "/rig.glb", folder + "/character.json", notes);
}

KnownRoles known_of(const std::string& name) {
    const std::string path = test::demo("characters/" + name + "/character.json");
    return read_known_roles(read_document(path, "character"), path);
}

std::string what_fails(const std::vector<CheckEntry>& entries) {
    std::string all;
    for (const CheckEntry& entry : entries) all += entry.kind + ": " + entry.what + "; ";
    return all;
}

bool has_kind(const std::vector<CheckEntry>& entries, const std::string& kind) {
    return std::any_of(entries.begin(), entries.end(), [&](const CheckEntry& e) { return e.kind == kind; });
}

}  // namespace

class StandardsTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    std::string in(const char* name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    /// A written mapping, read by the standard's reference reader, names the bones the roles name.
    void a_written_mapping_is_read_by_the_reference_reader() {
        for (const std::string who : {"ferrier", "net-mender"}) {
            const LoadedFile file = crew_member(who);
            const std::string path = in((who + ".vrm.glb").c_str());
            write_vrm(path, file.character, {.name = who});
            const QJsonObject read =
                QJsonDocument::fromJson(test::run_node({"humanoid.mjs", QString::fromStdString(path)}))
                    .object();
            QCOMPARE(read["metaVersion"].toString(), QString("1"));
            const QJsonObject bones = read["bones"].toObject();
            const auto& names = file.character.rig.skeleton.names;
            const std::pair<const char*, const char*> expected[] = {{"hips", "hips"},
                                                                    {"upperChest", "chest"},
                                                                    {"head", "head"},
                                                                    {"leftUpperLeg", "thigh.left"},
                                                                    {"rightLowerLeg", "shin.right"},
                                                                    {"leftFoot", "foot.left"},
                                                                    {"leftUpperArm", "upperarm.left"},
                                                                    {"rightLowerArm", "forearm.right"},
                                                                    {"leftHand", "hand.left"},
                                                                    {"rightIndexProximal", "index.1.right"},
                                                                    {"leftThumbMetacarpal", "thumb.1.left"},
                                                                    {"leftLittleDistal", "little.3.left"}};
            for (const auto& [bone, role] : expected)
                QCOMPARE(bones[bone].toString(),
                         QString::fromStdString(names[size_t(file.character.roles.joint(role))]));
            // Every bone of the standard that the roles have is there.
            QCOMPARE(bones.size(), qsizetype(vrm_bones(file.character.roles).size()));
            const QByteArray verdict = test::run_node({"validate.mjs", QString::fromStdString(path)});
            QVERIFY2(verdict.contains("0 errors"), verdict.constData());
        }
    }

    /// Read back, the mapping stands above names, which say nothing here.
    void a_mapping_of_the_file_is_used() {
        const LoadedFile known = crew_member("net-mender");
        write_vrm(in("mender.glb"), known.character, {.name = "mender"});
        const LoadedFile read = load_file(in("mender.glb"));
        for (const auto& [bone, joint] : vrm_bones(known.character.roles)) {
            const std::string role = known.character.roles.role_of(joint);
            QVERIFY2(read.character.roles.joint(role) == joint, role.c_str());
        }
        const RoleFill* hand = read.character.roles.fill("hand.left");
        QVERIFY(hand->evidence.front().find("mapping") != std::string::npos);
        QVERIFY(!hand->is_unsure());
        QVERIFY_THROWS_EXCEPTION(
            FileError, write_vrm(in("x.glb"), load_file(test::rig("dockhand/rig.bvh")).character, {}));
        Character half = known.character;
        give_role(half.rig.skeleton, half.roles, "foot.left", -1);
        try {
            write_vrm(in("half.glb"), half, {});
            QFAIL("a mapping without a foot was written");
        } catch (const FileError& error) {
            QVERIFY2(std::string(error.what()).find("leftFoot") != std::string::npos, error.what());
        }
    }

    /// Names of ISO/IEC 19774-1 come out, and are understood when they come in.
    void iso_names_go_out_and_come_in() {
        const LoadedFile ferrier = crew_member("ferrier");
        write_with_iso_names(in("iso.glb"), ferrier.character);
        write_with_iso_names(in("iso.bvh"), ferrier.character);
        for (const char* name : {"iso.glb", "iso.bvh"}) {
            const LoadedFile read = load_file(in(name));
            const Skeleton& s = read.character.rig.skeleton;
            const std::pair<const char*, const char*> expected[] = {{"humanoid_root", "hips"},
                                                                    {"vl5", "spine.1"},
                                                                    {"vt1", "chest"},
                                                                    {"skullbase", "head"},
                                                                    {"l_hip", "thigh.left"},
                                                                    {"r_knee", "shin.right"},
                                                                    {"l_ankle", "foot.left"},
                                                                    {"r_shoulder", "upperarm.right"},
                                                                    {"l_elbow", "forearm.left"},
                                                                    {"r_wrist", "hand.right"},
                                                                    {"l_index1", "index.1.left"},
                                                                    {"r_pinky2", "little.2.right"},
                                                                    {"l_thumb1", "thumb.1.left"}};
            for (const auto& [iso, role] : expected) {
                QVERIFY2(s.find(iso) >= 0, iso);
                QVERIFY2(read.character.roles.joint(role) == s.find(iso), iso);
                QVERIFY2(!read.character.roles.fill(role)->is_unsure(), iso);
            }
        }
        std::set<std::string> seen;
        for (const auto& [joint, name] : iso_names(ferrier.character.roles))
            QVERIFY2(seen.insert(name).second, name.c_str());
    }

    /// One roll bone takes half of the turn, two take thirds (common practice, no source).
    void twist_bones_are_attached_with_their_share() {
        const LoadedFile ferrier = crew_member("ferrier");
        const auto share = [&](const RoleMap& roles, const Skeleton& s, const char* bone) {
            for (const TwistBone& twist : roles.twists)
                if (s.names[size_t(twist.joint)] == bone) return std::pair{twist.role, twist.share};
            return std::pair{std::string(), -1.0};
        };
        const Skeleton& s = ferrier.character.rig.skeleton;
        const auto [first, a] = share(ferrier.character.roles, s, "forearm1.twist.l");
        const auto [second, b] = share(ferrier.character.roles, s, "forearm2.twist.l");
        QCOMPARE(first, std::string("forearm.left"));
        QCOMPARE(second, std::string("forearm.left"));
        QVERIFY(std::abs(a - 1.0 / 3) < 1e-9 && std::abs(b - 2.0 / 3) < 1e-9);
        test::KnownBody body = test::known_body("performer", crew_member("performer").character);
        const int hand = body.joint_of_role.at("hand.left");
        Skeleton one = body.skeleton;
        // A roll bone in the place of the elbow: its number says one half.
        one.names.push_back("L_forearm_roll");
        one.parents.push_back(body.joint_of_role.at("forearm.left"));
        one.rest_R.push_back(Quat::Identity());
        one.rest_p.push_back(Vec3::Zero());
        const RoleMap roles = propose_roles(one);
        QVERIFY(roles.joint("hand.left") == hand);
        QCOMPARE(share(roles, one, "L_forearm_roll").first, std::string("forearm.left"));
        QCOMPARE(share(roles, one, "L_forearm_roll").second, 0.5);
    }

    /// The check passes the crew and says what is wrong with a body that is made wrong.
    void the_check_names_what_is_odd() {
        for (const char* who : {"performer", "dockhand", "ferrier", "lamp-child", "net-mender", "quay-dog"}) {
            const LoadedFile file = crew_member(who);
            const auto entries = check_roles(file.character.rig.skeleton, file.character.roles);
            for (const CheckEntry& entry : entries)
                QVERIFY2(entry.kind == "proportions" || entry.kind == "lengths",
                         (std::string(who) + ": " + what_fails(entries)).c_str());
        }
        const Character& good = crew_member("performer").character;
        const Skeleton& s = good.rig.skeleton;
        QVERIFY2(check_roles(s, good.roles).empty(), what_fails(check_roles(s, good.roles)).c_str());
        RoleMap roles = good.roles;
        const int thigh = roles.joint("thigh.left");
        const int shin = roles.joint("shin.left");
        for (RoleFill& fill : roles.fills) {
            if (fill.role == "thigh.left") fill.joint = shin;
            if (fill.role == "shin.left") fill.joint = thigh;
        }
        auto entries = check_roles(s, roles);
        QVERIFY2(has_kind(entries, "order"), what_fails(entries).c_str());
        for (size_t i = 1; i < entries.size(); ++i) QVERIFY(entries[i - 1].weight >= entries[i].weight);
        roles = good.roles;
        for (RoleFill& fill : roles.fills) fill.role = mirrored_role(fill.role);
        QVERIFY2(has_kind(check_roles(s, roles), "sides"), what_fails(check_roles(s, roles)).c_str());
        Skeleton uneven = s;
        uneven.rest_p[size_t(good.roles.joint("foot.left"))] *= 1.4;
        QVERIFY(has_kind(check_roles(uneven, good.roles), "lengths"));
        Skeleton ape = s;
        for (const char* role : {"forearm.left", "forearm.right", "hand.left", "hand.right"})
            ape.rest_p[size_t(good.roles.joint(role))] *= 3.0;
        QVERIFY(has_kind(check_roles(ape, good.roles), "proportions"));
        roles = good.roles;
        give_role(s, roles, "head", -1);
        QCOMPARE(check_roles(s, roles).front().kind, std::string("missing"));
    }

    /// One characterization for its kind: exact, by like names, and in part with the differences told.
    void roles_are_taken_from_another_rig() {
        const KnownRoles ferrier = known_of("ferrier");
        const Skeleton own = crew_member("ferrier").character.rig.skeleton;
        // A variant of another size has the same bones.
        Skeleton variant = own;
        for (Vec3& p : variant.rest_p) p *= 1.25;
        const Reuse exact = reuse_roles(ferrier, variant);
        QVERIFY(exact.is_exact);
        QCOMPARE(exact.exact, int(ferrier.bones.size()));
        QVERIFY(exact.differences.empty());
        // Another name space: by the words.
        Skeleton spaced = own;
        for (std::string& name : spaced.names) name = "crew:" + name;
        const Reuse alike = reuse_roles(ferrier, spaced);
        QVERIFY(!alike.is_exact);
        QVERIFY2(alike.alike > 50, std::to_string(alike.alike).c_str());
        for (const auto& [role, bone] : ferrier.bones) QCOMPARE(alike.roles.joint(role), own.find(bone));
        // Two bones are called otherwise: filled by evidence, and told.
        Skeleton changed = own;
        changed.names[size_t(own.find("radius.l"))] = "strut";
        changed.names[size_t(own.find("skull"))] = "top";
        const Reuse part = reuse_roles(ferrier, changed);
        QCOMPARE(part.proposed, 2);
        QCOMPARE(int(part.differences.size()), 2);
        QCOMPARE(part.roles.joint("forearm.left"), own.find("radius.l"));
        QCOMPARE(part.roles.joint("head"), own.find("skull"));
        QVERIFY(share_of_bones(known_of("performer"), own) < 0.2);
    }

    /// A whole limb, spine or finger through one of its bones.
    void whole_chains_are_filled_through_one_bone() {
        const Character good = crew_member("ferrier").character;
        const Skeleton& s = good.rig.skeleton;
        const std::pair<const char*, const char*> through[] = {{"arm.left", "hand.left"},
                                                               {"arm.right", "upperarm.right"},
                                                               {"leg.left", "foot.left"},
                                                               {"spine", "chest"},
                                                               {"neck", "head"},
                                                               {"index.left", "index.1.left"},
                                                               {"little.right", "little.3.right"},
                                                               {"thumb.left", "thumb.2.left"}};
        for (const auto& [chain, role] : through) {
            RoleMap bare = good.roles;
            for (const std::string& gone : body_plan("biped").chain(chain)->roles)
                give_role(s, bare, gone, -1);
            const auto found = roles_of_chain(s, bare, chain, good.roles.joint(role));
            QVERIFY2(!found.empty(), chain);
            for (const auto& [given, joint] : found)
                QVERIFY2(good.roles.joint(given) == joint, (std::string(chain) + " " + given).c_str());
            QCOMPARE(found.size(), good.roles.chain(*body_plan("biped").chain(chain)).size());
        }
        QVERIFY(roles_of_chain(s, good.roles, "leg.left", good.roles.joint("hand.left")).empty());
    }

    /// Users write plans: on top of a shipped one, with chains of their own, found by their words.
    void plans_are_files() {
        const std::string plan = R"({"format": "nimble-bone/body-plan", "version": 1, "name": "tailed crew",
            "extends": "biped", "chains": [{"name": "tail", "from": "hips", "roles": ["tail.1-6"],
            "words": ["tail", "rope"]}], "needed": ["tail.1"]})";
        write_file(in("tailed.json"), plan);
        QCOMPARE(load_body_plan(in("tailed.json")), std::string("tailed crew"));
        QCOMPARE(load_body_plan(in("tailed.json")), std::string("tailed crew"));  // the same again is fine
        test::KnownBody body = test::known_body("performer", crew_member("performer").character);
        test::name_by_roles(body, 0);
        Skeleton s = body.skeleton;
        int parent = body.joint_of_role.at("hips");
        for (int i = 1; i <= 3; ++i) {
            s.names.push_back("rope_" + std::to_string(i));
            s.parents.push_back(parent);
            s.rest_R.push_back(Quat::Identity());
            s.rest_p.push_back(Vec3(0, -0.05, -0.12));
            parent = s.size() - 1;
        }
        const RoleMap roles =
            propose_roles(s, {.ignore_names = false, .plan = "tailed crew", .skin = {}, .tree = -1});
        QCOMPARE(roles.plan, std::string("tailed crew"));
        QCOMPARE(roles.joint("tail.1"), s.find("rope_1"));
        QCOMPARE(roles.joint("tail.3"), s.find("rope_3"));
        QVERIFY(roles.missing.empty());
        QCOMPARE(roles.joint("hand.left"), body.joint_of_role.at("hand.left"));
        const RoleMap bare = propose_roles(
            body.skeleton, {.ignore_names = false, .plan = "tailed crew", .skin = {}, .tree = -1});
        QCOMPARE(bare.missing, std::vector<std::string>{"tail.1"});
        // Words that a bone must have, and must not have.
        write_file(in("strict.json"),
                   R"({"format": "nimble-bone/body-plan", "version": 1, "name": "strict crew",
            "extends": "biped", "chains": [{"name": "tow", "from": "hips", "roles": ["tow.1-6"],
            "words": ["rope"], "require": ["rope", "tow"], "reject": ["anchor"]}]})");
        QCOMPARE(load_body_plan(in("strict.json")), std::string("strict crew"));
        const auto tow_of = [&](const char* first_name) {
            Skeleton named = s;
            named.names[size_t(s.find("rope_1"))] = first_name;
            return propose_roles(named,
                                 {.ignore_names = false, .plan = "strict crew", .skin = {}, .tree = -1})
                .joint("tow.1");
        };
        QCOMPARE(tow_of("rope_1"), -1);
        QCOMPARE(tow_of("tow_rope_1"), s.find("rope_1"));
        QCOMPARE(tow_of("tow_rope_anchor"), -1);
        const std::pair<const char*, const char*> broken[] = {
            {"{", "JSON"},
            {R"({"format": "nimble-bone/other"})", "body-plan"},
            {R"({"format": "nimble-bone/body-plan", "version": 2, "name": "x", "chains": []})", "newer"},
            {R"({"format": "nimble-bone/body-plan", "version": 1, "name": "x", "extends": "fish", "chains": []})",
             "fish"},
            {R"({"format": "nimble-bone/body-plan", "version": 1, "name": "x", "extends": "biped",
                "chains": [{"name": "wing", "from": "back", "roles": ["wing"]}]})",
             "back"},
            {R"({"format": "nimble-bone/body-plan", "version": 1, "name": "x", "extends": "biped",
                "chains": [{"name": "wing", "from": "spine", "roles": ["Wing One"]}]})",
             "Wing One"},
            {R"({"format": "nimble-bone/body-plan", "version": 1, "name": "x", "extends": "biped", "chains": [],
                "needed": ["wing.1"]})",
             "wing.1"}};
        for (const auto& [text, word] : broken) {
            write_file(in("broken.json"), text);
            try {
                load_body_plan(in("broken.json"));
                QFAIL(text);
            } catch (const FileError& error) {
                QVERIFY2(std::string(error.what()).find(word) != std::string::npos, error.what());
            }
        }
    }
};

NB_TEST(StandardsTest)
}  // namespace test_standards
#include "test_standards.moc"
