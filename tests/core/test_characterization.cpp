// Characterization with names off and on, on the crew, the captures' skeletons and at least 300 seeded
// variants of them. Prints the table of what is right. Two bodies and one seed were kept out of tuning.
#include <QtTest>
#include <array>
#include <cstdio>
#include <map>
#include <numeric>
#include <set>

#include "core/body/shape.hpp"
#include "core/library/library.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/variants.hpp"

namespace test_characterization {

using namespace nb;

namespace {

struct Score {
    int body = 0, body_right = 0, fingers = 0, fingers_right = 0, swapped = 0;
    double body_share() const { return body ? double(body_right) / body : 1.0; }
    double finger_share() const { return fingers ? double(fingers_right) / fingers : 1.0; }
    void add(const Score& o) {
        body += o.body;
        body_right += o.body_right;
        fingers += o.fingers;
        fingers_right += o.fingers_right;
        swapped += o.swapped;
    }
};

/// Over all variants: what was taken for what, and how often each confidence was right.
struct Tally {
    std::map<std::string, int> confused;
    std::array<int, 6> shown{}, right{};
    static constexpr std::array<double, 6> from{0.0, 0.5, 0.6, 0.8, 0.9, 0.95};
    void add(double confidence, bool is_right) {
        size_t bin = 0;
        while (bin + 1 < from.size() && confidence >= from[bin + 1]) ++bin;
        ++shown[bin];
        right[bin] += is_right;
    }
    double right_at(size_t first_bin) const {
        const double all = std::accumulate(shown.begin() + std::ptrdiff_t(first_bin), shown.end(), 0.0);
        return all > 0 ? std::accumulate(right.begin() + std::ptrdiff_t(first_bin), right.end(), 0.0) / all
                       : 1.0;
    }
};

/// Required roles and finger roles against what is known.
Score score_of(const test::KnownBody& body, bool has_names, Tally& tally) {
    int root = 0;
    for (int j = 0; j < body.skeleton.size(); ++j)
        if (body.skeleton.parents[size_t(j)] < 0 &&
            (j == body.joint_of_role.at("hips") ||
             body.skeleton.is_ancestor(j, body.joint_of_role.at("hips"))))
            root = j;
    const RoleMap map =
        propose_roles(body.skeleton, {.ignore_names = !has_names, .plan = {}, .skin = {}, .tree = root});
    Score score;
    for (const auto& role : needed_roles()) {
        const auto known = body.joint_of_role.find(role);
        if (known == body.joint_of_role.end()) continue;
        ++score.body;
        const int found = map.joint(role);
        score.body_right += found == known->second;
        if (role_side(role) != Side::none && found == body.joint_of_role.at(mirrored_role(role)) &&
            map.unsure().empty())
            ++score.swapped;
        if (found != known->second)
            ++tally.confused[role + " -> " +
                             (map.role_of(known->second).empty() ? "none" : map.role_of(known->second))];
    }
    for (const auto& [role, joint] : body.joint_of_role) {
        if (!is_finger_role(role)) continue;
        ++score.fingers;
        score.fingers_right += map.joint(role) == joint;
        if (map.joint(role) != joint)
            ++tally.confused[role + " -> " + (map.role_of(joint).empty() ? "none" : map.role_of(joint))];
    }
    for (const RoleFill& fill : map.fills) {
        const auto known = body.joint_of_role.find(fill.role);
        tally.add(fill.confidence, known != body.joint_of_role.end() && known->second == fill.joint);
    }
    return score;
}

std::vector<test::KnownBody> bodies() {
    std::vector<test::KnownBody> all;
    std::vector<std::string> notes;
    for (const std::string name : {"performer", "dockhand", "ferrier", "lamp-child", "net-mender"})
        all.push_back(
            test::known_body(name, load_character(test::demo("characters/" + name + "/rig.glb"),
                                                  test::demo("characters/" + name + "/character.json"), notes)
                                       .character));
    for (const std::string name : {"01_01", "01_03"})
        all.push_back(test::known_body(name, load_file(test::capture(name + ".bvh")).character));
    return all;
}
const std::set<std::string> kept_out{"net-mender", "lamp-child"};
constexpr int variants_each = 50;
constexpr std::uint64_t kept_out_seed = 424200;

}  // namespace

class CharacterizationTest : public QObject {
    Q_OBJECT

  private slots:
    /// The dog, all names off: a body on four legs, told as such, every joint of its legs.
    void a_dog_is_told_by_its_shape() {
        std::vector<std::string> notes;
        const Character dog = load_character(test::demo("characters/quay-dog/rig.glb"),
                                             test::demo("characters/quay-dog/character.json"), notes)
                                  .character;
        const RoleMap map = propose_roles_by_shape(dog.rig.skeleton);
        QCOMPARE(map.plan, std::string("quadruped"));
        for (const RoleFill& fill : dog.roles.fills) {
            const std::string part = role_part(fill.role);
            if (part == "ear" || part == "jaw" || part == "paw") continue;
            QVERIFY2(map.joint(fill.role) == fill.joint, fill.role.c_str());
        }
        // And by file: up, facing, unit of a take that says none of them.
        const LoadedFile take = load_file(test::demo("takes/dog-trot.bvh"));
        QCOMPARE(take.character.roles.plan, std::string("quadruped"));
        QCOMPARE(take.character.rig.conventions.up, std::string("+Y"));
        QCOMPARE(take.character.rig.conventions.facing, std::string("+Z"));
        QCOMPARE(take.character.rig.conventions.unit_m, 0.01);
    }

    /// A rig whose bones tell nothing moves at once, with its roles by shape.
    void bare_names_are_no_obstacle() {
        std::vector<std::string> notes;
        const LoadedFile own = load_file(test::demo("characters/net-mender/rig.glb"));
        const Character known = load_character(test::demo("characters/net-mender/rig.glb"),
                                               test::demo("characters/net-mender/character.json"), notes)
                                    .character;
        QVERIFY(own.character.roles.missing.empty());
        for (const RoleFill& fill : known.roles.fills)
            QVERIFY2(own.character.roles.joint(fill.role) == fill.joint, fill.role.c_str());
        bool is_said = false;
        for (const auto& note : own.character.rig.notes)
            is_said |= note.find("by shape") != std::string::npos;
        QVERIFY(is_said);
    }

    /// Names that say left where the body has its right: unsure on both sides, and told; never silent.
    void names_against_the_body_are_unsure() {
        SkeletonFile body = test::random_body(7);
        for (std::string& name : body.skeleton.names) {
            if (name.ends_with("_left"))
                name.replace(name.size() - 5, 5, "_right");
            else if (name.ends_with("_right"))
                name.replace(name.size() - 6, 6, "_left");
        }
        const RoleMap crossed = propose_roles(body.skeleton);
        for (const auto* role : {"thigh.left", "shin.right", "upperarm.left", "hand.right"})
            QVERIFY2(crossed.fill(role) && crossed.fill(role)->confidence < unsure_below, role);
        QVERIFY(crossed.notes.size() >= 2);
        for (std::uint64_t seed = 1; seed < 40; ++seed) {
            const RoleMap straight = propose_roles(test::random_body(seed).skeleton);
            for (const auto& note : straight.notes)
                QVERIFY2(note.find("other way round") == std::string::npos, note.c_str());
        }
    }

    /// A rig of 200 bones and more is read in a moment; printed, since times on a test machine say little.
    void large_rigs_are_quick() {
        std::vector<std::string> notes;
        test::KnownBody body =
            test::known_body("ferrier", load_file(test::demo("characters/ferrier/rig.glb")).character);
        Skeleton& s = body.skeleton;
        while (s.size() < 210) {
            // Helpers hang everywhere.
            const int j = s.size() * 31 % 60;
            s.names.push_back("helper");
            s.parents.push_back(j);
            s.rest_R.push_back(Quat::Identity());
            s.rest_p.push_back(Vec3(0.001, 0.002, 0.0));
        }
        QElapsedTimer timer;
        timer.start();
        const RoleMap map = propose_roles(s);
        qInfo("210 bones with names: %.2f ms", double(timer.nsecsElapsed()) * 1e-6);
        timer.restart();
        const RoleMap bare = propose_roles_by_shape(s);
        qInfo("210 bones without: %.2f ms", double(timer.nsecsElapsed()) * 1e-6);
        QVERIFY(map.missing.empty());
        for (const auto& role : needed_roles()) QVERIFY2(bare.joint(role) == map.joint(role), role.c_str());
    }

    /// Nothing in the body says where ahead is (feet cut off, knees straight): sides are unsure, not silently
    /// guessed.
    void sides_without_a_front_are_unsure() {
        std::vector<std::string> notes;
        test::KnownBody body = test::known_body(
            "performer", load_character(test::demo("characters/performer/rig.glb"),
                                        test::demo("characters/performer/character.json"), notes)
                             .character);
        Skeleton& s = body.skeleton;
        for (const auto* role : {"foot.left", "foot.right"}) {
            const int ankle = body.joint_of_role.at(role);
            for (int j = 0; j < s.size(); ++j)
                if (j != ankle && s.is_ancestor(ankle, j)) s.rest_p[size_t(j)].setZero();
            for (EndSite& site : s.end_sites)
                if (site.joint == ankle || s.is_ancestor(ankle, site.joint)) site.offset_m.setZero();
        }
        const RoleMap map = propose_roles_by_shape(s);
        QVERIFY(map.joint("thigh.left") >= 0);
        QVERIFY(map.fill("thigh.left")->confidence < unsure_below);
    }

    /// The table: bodies as they are and in variants, names off and on, what was tuned and what was kept out.
    void variants() {
        std::printf("%-26s %8s | names off %21s | names on\n%-26s %8s | %7s %7s %8s %7s | %7s %7s %8s %7s\n",
                    "", "", "", "", "variants", "body", "worst", "fingers", "swapped", "body", "worst",
                    "fingers", "swapped");
        std::array<Score, 2> tuned, kept;  // names off, on
        std::array<Tally, 2> tally;
        std::vector<std::tuple<double, std::string, std::string>> worst;
        for (const auto& body : bodies()) {
            for (const bool is_other_seed : {false, true}) {
                const int count = is_other_seed ? 10 : variants_each;
                const bool is_kept = is_other_seed || kept_out.contains(body.name);
                std::array<Score, 2> sum;
                std::array<double, 2> least{1.0, 1.0};
                for (const bool has_names : {false, true}) {
                    for (int i = 0; i <= count; ++i) {
                        const test::Variant variant =
                            i == 0 ? test::Variant{body, "as it is"}
                                   : test::make_variant(
                                         body, std::uint64_t(i) + (is_other_seed ? kept_out_seed : 0),
                                         has_names);
                        const Score score = score_of(variant.body, has_names, tally[size_t(has_names)]);
                        sum[size_t(has_names)].add(score);
                        least[size_t(has_names)] = std::min(least[size_t(has_names)], score.body_share());
                        if (score.body_share() < 1.0 || score.finger_share() < 0.9)
                            worst.emplace_back(score.body_share() + 0.1 * score.finger_share(),
                                               body.name + " " + std::to_string(i),
                                               (has_names ? "named, " : "") + variant.what);
                    }
                    (is_kept ? kept : tuned)[size_t(has_names)].add(sum[size_t(has_names)]);
                }
                std::printf("%-26s %8d | %6.1f%% %6.1f%% %7.1f%% %7d | %6.1f%% %6.1f%% %7.1f%% %7d\n",
                            (body.name + (is_other_seed ? ", seed kept out"
                                          : is_kept     ? ", kept out"
                                                        : ""))
                                .c_str(),
                            count + 1, 100 * sum[0].body_share(), 100 * least[0], 100 * sum[0].finger_share(),
                            sum[0].swapped, 100 * sum[1].body_share(), 100 * least[1],
                            100 * sum[1].finger_share(), sum[1].swapped);
            }
        }
        for (const bool is_kept : {false, true}) {
            const auto& all = is_kept ? kept : tuned;
            std::printf("%-26s %8s | %6.1f%% %7s %7.1f%% %7d | %6.1f%% %7s %7.1f%% %7d\n",
                        is_kept ? "all kept out" : "all tuned", "", 100 * all[0].body_share(), "",
                        100 * all[0].finger_share(), all[0].swapped, 100 * all[1].body_share(), "",
                        100 * all[1].finger_share(), all[1].swapped);
        }
        for (const bool has_names : {false, true}) {
            const Tally& t = tally[size_t(has_names)];
            std::printf("calibration, names %s:", has_names ? "on" : "off");
            for (size_t bin = 0; bin < t.shown.size(); ++bin)
                std::printf("  %.2f+: %d of %d (%.1f %%)", Tally::from[bin], t.right[bin], t.shown[bin],
                            t.shown[bin] ? 100.0 * t.right[bin] / t.shown[bin] : 100.0);
            std::printf("\nmost confused:");
            std::vector<std::pair<int, std::string>> most;
            for (const auto& [what, times] : t.confused) most.emplace_back(times, what);
            std::sort(most.rbegin(), most.rend());
            for (size_t i = 0; i < std::min<size_t>(most.size(), 10); ++i)
                std::printf("  %s x%d", most[i].second.c_str(), most[i].first);
            std::printf("\n");
        }
        std::sort(worst.begin(), worst.end());
        for (size_t i = 0; i < std::min<size_t>(worst.size(), 14); ++i)
            std::printf("  %5.1f%%  %s: %s\n", 100 * std::get<0>(worst[i]), std::get<1>(worst[i]).c_str(),
                        std::get<2>(worst[i]).c_str());
        std::fflush(stdout);
        for (const auto* all : {&tuned, &kept})
            for (const size_t names : {size_t(0), size_t(1)}) {
                QVERIFY((*all)[names].body_share() > 0.95);
                QVERIFY((*all)[names].finger_share() > 0.85);
                QCOMPARE((*all)[names].swapped, 0);
            }
        // Of bones shown 0.9 and more sure at least 98 of 100 are right.
        for (const Tally& t : tally) QVERIFY(t.right_at(4) >= 0.98);
    }
};

NB_TEST(CharacterizationTest)
}  // namespace test_characterization
#include "test_characterization.moc"
