#include "tests/support/variants.hpp"

#include <fmt/format.h>

#include "core/body/roles.hpp"
#include "core/body/standards.hpp"

namespace nb::test {

namespace {

bool chance(Random& random, double share) {
    return uniform(random, 0, 1) < share;
}

/// Joints by their places alone: rest rotations are the identity, offsets world differences.
class Cloud {
  public:
    explicit Cloud(KnownBody body) : body_(std::move(body)) {
        const Pose pose = rest_pose(body_.skeleton);
        p_ = pose.p;
        for (EndSite& site : body_.skeleton.end_sites)
            site.offset_m = pose.R[size_t(site.joint)] * site.offset_m;
        for (Quat& R : body_.skeleton.rest_R) R.setIdentity();
        body_.skeleton.bind_R.clear();
    }
    KnownBody finish() {
        Skeleton& s = body_.skeleton;
        for (size_t j = 0; j < p_.size(); ++j)
            s.rest_p[j] = s.parents[j] < 0 ? p_[j] : Vec3(p_[j] - p_[size_t(s.parents[j])]);
        return std::move(body_);
    }

    int joint(const std::string& role) const {
        const auto at = body_.joint_of_role.find(role);
        return at == body_.joint_of_role.end() ? -1 : at->second;
    }
    double height() const {
        Vec3 low = p_[0], high = p_[0];
        for (const Vec3& p : p_) {
            low = low.cwiseMin(p);
            high = high.cwiseMax(p);
        }
        return (high - low).norm();
    }
    bool is_below(int above, int j) const { return j == above || body_.skeleton.is_ancestor(above, j); }

    /// Turns all that hangs on a joint about it.
    void turn(int at, const Quat& R) {
        if (at < 0) return;
        const Vec3 pivot = p_[size_t(at)];
        for (int j = 0; j < int(p_.size()); ++j)
            if (is_below(at, j)) p_[size_t(j)] = pivot + R * (p_[size_t(j)] - pivot);
        for (EndSite& site : body_.skeleton.end_sites)
            if (is_below(at, site.joint)) site.offset_m = R * site.offset_m;
    }
    void turn_all(const Quat& R) {
        for (Vec3& p : p_) p = R * p;
        for (EndSite& site : body_.skeleton.end_sites) site.offset_m = R * site.offset_m;
    }
    void mirror() {
        for (Vec3& p : p_) p.x() = -p.x();
        for (EndSite& site : body_.skeleton.end_sites) site.offset_m.x() = -site.offset_m.x();
        std::map<std::string, int> swapped;
        for (const auto& [role, j] : body_.joint_of_role) swapped[mirrored_role(role)] = j;
        body_.joint_of_role = swapped;
    }
    /// Lengths of a limb's two long bones times k; what hangs beyond moves along.
    void stretch(const std::string& upper, const std::string& lower, const std::string& tip, double k) {
        for (const auto& [from, to] : {std::pair{upper, lower}, std::pair{lower, tip}}) {
            const int a = joint(from);
            const int b = joint(to);
            if (a < 0 || b < 0) continue;
            const Vec3 move = (k - 1.0) * (p_[size_t(b)] - p_[size_t(a)]);
            const Vec3 start = p_[size_t(a)];
            const Vec3 line = p_[size_t(b)] - start;
            for (int j = 0; j < int(p_.size()); ++j) {
                if (is_below(b, j))
                    p_[size_t(j)] += move;
                else if (j != a && is_below(a, j))  // roll bones on the way
                    p_[size_t(j)] +=
                        (k - 1.0) *
                        std::clamp((p_[size_t(j)] - start).dot(line) / line.squaredNorm(), 0.0, 1.0) * line;
            }
        }
    }
    void jitter(Random& random) {
        const double h = 0.02 * height();
        for (const auto& [role, j] : body_.joint_of_role) {
            const std::string part = role_part(role);
            const bool is_finger =
                part == "thumb" || part == "index" || part == "middle" || part == "ring" || part == "little";
            const int parent = body_.skeleton.parents[size_t(j)];
            const double bone = parent < 0 ? 0.0 : (p_[size_t(j)] - p_[size_t(parent)]).norm();
            const double by = is_finger ? 0.10 * bone : std::min(h, 0.25 * bone);
            p_[size_t(j)] += by / std::sqrt(3.0) *
                             Vec3(uniform(random, -1, 1), uniform(random, -1, 1), uniform(random, -1, 1));
        }
    }

    void remove(int gone, bool with_all_below) {
        Skeleton& s = body_.skeleton;
        std::vector<int> to(p_.size(), -1);
        std::vector<char> drop(p_.size(), 0);
        for (int j = 0; j < int(p_.size()); ++j)
            drop[size_t(j)] = j == gone || (with_all_below && is_below(gone, j));
        Skeleton kept;
        std::vector<Vec3> places;
        for (int j = 0; j < int(p_.size()); ++j) {
            if (drop[size_t(j)]) continue;
            to[size_t(j)] = kept.size();
            int parent = s.parents[size_t(j)];
            while (parent >= 0 && drop[size_t(parent)]) parent = s.parents[size_t(parent)];
            kept.names.push_back(s.names[size_t(j)]);
            kept.parents.push_back(parent < 0 ? -1 : to[size_t(parent)]);
            kept.rest_R.push_back(Quat::Identity());
            kept.rest_p.push_back(Vec3::Zero());
            places.push_back(p_[size_t(j)]);
        }
        for (const EndSite& site : s.end_sites)
            if (to[size_t(site.joint)] >= 0)
                kept.end_sites.push_back({to[size_t(site.joint)], site.offset_m});
        std::map<std::string, int> roles;
        for (const auto& [role, j] : body_.joint_of_role)
            if (to[size_t(j)] >= 0) roles[role] = to[size_t(j)];
        body_.joint_of_role = roles;
        s = kept;
        p_ = places;
    }
    /// A joint before `child`, `share` of the way from its parent; returns its index. A leaf beside it when
    /// `is_leaf`.
    int insert(int child, double share, bool is_leaf) {
        Skeleton& s = body_.skeleton;
        const int parent = s.parents[size_t(child)];
        const Vec3 place = p_[size_t(parent)] + share * (p_[size_t(child)] - p_[size_t(parent)]);
        const auto shift = [&](int j) { return j >= child ? j + 1 : j; };
        const auto at = std::ptrdiff_t(child);
        for (int& up : s.parents) up = up < 0 ? -1 : shift(up);
        s.parents.insert(s.parents.begin() + at, parent);
        s.names.insert(s.names.begin() + at, is_leaf ? "twist" : "helper");
        s.rest_R.insert(s.rest_R.begin() + at, Quat::Identity());
        s.rest_p.insert(s.rest_p.begin() + at, Vec3::Zero());
        p_.insert(p_.begin() + at, place);
        if (!is_leaf) s.parents[size_t(child) + 1] = child;
        for (EndSite& site : s.end_sites) site.joint = shift(site.joint);
        for (auto& [role, j] : body_.joint_of_role) j = shift(j);
        return child;
    }
    void add_root() {
        Skeleton& s = body_.skeleton;
        for (int& up : s.parents) ++up;  // the old root hangs on the new one
        s.parents.insert(s.parents.begin(), -1);
        s.names.insert(s.names.begin(), "base");
        s.rest_R.insert(s.rest_R.begin(), Quat::Identity());
        s.rest_p.insert(s.rest_p.begin(), Vec3::Zero());
        p_.insert(p_.begin(), Vec3(0.0, 0.0, 0.0));
        for (EndSite& site : s.end_sites) ++site.joint;
        body_.joint_of_role.erase("root");
        for (auto& [role, j] : body_.joint_of_role) ++j;
        body_.joint_of_role["root"] = 0;
    }
    void lower_hips() { p_[size_t(joint("hips"))].y() -= 0.05 * height(); }
    KnownBody& body() { return body_; }

    std::vector<int> spine() const {
        std::vector<int> result;
        for (int i = 1; joint(fmt::format("spine.{}", i)) >= 0; ++i)
            result.push_back(joint(fmt::format("spine.{}", i)));
        if (joint("chest") >= 0) result.push_back(joint("chest"));
        return result;
    }
    void number_spine(const std::vector<int>& joints) {
        std::erase_if(body_.joint_of_role, [](const auto& entry) {
            return entry.first.starts_with("spine.") || entry.first == "chest";
        });
        for (size_t i = 0; i < joints.size(); ++i)
            body_.joint_of_role[i + 1 == joints.size() ? std::string("chest")
                                                       : fmt::format("spine.{}", i + 1)] = joints[i];
    }

  private:
    KnownBody body_;
    std::vector<Vec3> p_;
};

}  // namespace

KnownBody known_body(const std::string& name, const Character& character) {
    KnownBody body{name, character.rig.skeleton, {}};
    for (const RoleFill& fill : character.roles.fills)
        if (fill.is_by_hand || fill.confidence >= unsure_below) body.joint_of_role[fill.role] = fill.joint;
    return body;
}

namespace {

struct Words {
    std::map<std::string, std::string> of;  ///< a role's part
    const char *left, *right;
    bool is_side_first;
    const char* between;
};

const std::vector<Words>& conventions() {
    static const std::map<std::string, std::string> plain;
    static const std::map<std::string, std::string> arm_leg{
        {"thigh", "UpLeg"},     {"shin", "Leg"},          {"toe", "ToeBase"},   {"clavicle", "Shoulder"},
        {"upperarm", "Arm"},    {"forearm", "ForeArm"},   {"chest", "Spine9"},  {"thumb", "HandThumb"},
        {"index", "HandIndex"}, {"middle", "HandMiddle"}, {"ring", "HandRing"}, {"little", "HandPinky"}};
    static const std::map<std::string, std::string> anatomy{
        {"thigh", "femur"},     {"shin", "tibia"},       {"foot", "ankle"},     {"toe", "ball"},
        {"clavicle", "collar"}, {"upperarm", "humerus"}, {"forearm", "radius"}, {"hand", "wrist"},
        {"spine", "lumbar"},    {"chest", "thorax"},     {"neck", "cervical"},  {"head", "skull"},
        {"hips", "pelvis"},     {"little", "pinkie"}};
    static const std::map<std::string, std::string> german{{"thigh", "Oberschenkel"},
                                                           {"shin", "Unterschenkel"},
                                                           {"foot", "Fuss"},
                                                           {"toe", "Zehe"},
                                                           {"clavicle", "Schluesselbein"},
                                                           {"upperarm", "Oberarm"},
                                                           {"forearm", "Unterarm"},
                                                           {"hand", "Hand"},
                                                           {"spine", "Wirbel"},
                                                           {"chest", "Brust"},
                                                           {"neck", "Hals"},
                                                           {"head", "Kopf"},
                                                           {"hips", "Becken"},
                                                           {"thumb", "Daumen"},
                                                           {"index", "Zeigefinger"},
                                                           {"middle", "Mittelfinger"},
                                                           {"ring", "Ringfinger"}};
    static const std::map<std::string, std::string> french{
        {"thigh", "cuisse"},       {"shin", "mollet"},    {"foot", "pied"},         {"toe", "orteil"},
        {"clavicle", "clavicule"}, {"upperarm", "bras"},  {"forearm", "avantbras"}, {"hand", "poignet"},
        {"spine", "colonne"},      {"chest", "poitrine"}, {"neck", "cou"},          {"head", "tete"},
        {"hips", "bassin"},        {"thumb", "pouce"},    {"middle", "majeur"},     {"ring", "annulaire"},
        {"little", "auriculaire"}};
    static const std::map<std::string, std::string> spanish{
        {"thigh", "muslo"},    {"shin", "pantorrilla"},  {"foot", "pie"},     {"clavicle", "clavicula"},
        {"upperarm", "brazo"}, {"forearm", "antebrazo"}, {"hand", "mano"},    {"spine", "columna"},
        {"chest", "pecho"},    {"neck", "cuello"},       {"head", "cabeza"},  {"hips", "cadera"},
        {"thumb", "pulgar"},   {"index", "indice"},      {"middle", "medio"}, {"ring", "anular"},
        {"little", "menique"}};
    static const std::vector<Words> all{{plain, "l", "r", false, "_"},
                                        {arm_leg, "Left", "Right", true, ""},
                                        {anatomy, "L", "R", true, "_"},
                                        {plain, "L", "R", false, "."},
                                        {german, "links", "rechts", false, "_"},
                                        {french, "gauche", "droite", false, "_"},
                                        {spanish, "izquierda", "derecha", false, "_"},
                                        {anatomy, "l", "r", true, ""}};
    return all;
}

}  // namespace

void name_by_roles(KnownBody& body, unsigned convention) {
    Skeleton& s = body.skeleton;
    std::map<int, std::string> role_of;
    RoleMap roles;
    for (const auto& [role, j] : body.joint_of_role) {
        role_of[j] = role;
        roles.fills.push_back({role, j, 1.0, {}, true});
    }
    const auto& all = conventions();
    const bool is_iso = convention % (all.size() + 1) == all.size();
    std::map<int, std::string> iso;
    for (const auto& [j, name] : iso_names(roles)) iso[j] = name;
    for (int j = 0; j < s.size(); ++j) {
        std::string& name = s.names[size_t(j)];
        const auto role = role_of.find(j);
        if (role == role_of.end()) {
            const bool is_twist = name == "twist";
            const auto above = s.parents[size_t(j)] < 0 ? role_of.end() : role_of.find(s.parents[size_t(j)]);
            name = is_twist && above != role_of.end()
                       ? fmt::format("{}_twist_{}", role_part(above->second), j)
                       : fmt::format("aux_{:02d}", j);
            continue;
        }
        if (is_iso && iso.contains(j)) {
            name = iso[j];
            continue;
        }
        const Words& words = all[convention % all.size()];
        std::string part = role_part(role->second);
        const Side side = role_side(role->second);
        std::string number;
        for (const char c : role->second)
            if (c >= '0' && c <= '9') number += c;
        if (role->second.find(".palm") != std::string::npos) number = "Palm";
        const auto own = words.of.find(part);
        std::string word = own == words.of.end() ? part : own->second;
        if (number == "Palm")
            word += std::string(words.between) + "Palm";
        else if (!number.empty())
            word += words.is_side_first ? number : "_" + number;
        const std::string mark = side == Side::left ? words.left : side == Side::right ? words.right : "";
        name = mark.empty()          ? word
               : words.is_side_first ? mark + words.between + word
                                     : word + words.between + mark;
    }
}

Variant make_variant(const KnownBody& base, std::uint64_t seed, bool has_names) {
    Random random(seed * 7919 + std::hash<std::string>{}(base.name));
    Cloud cloud(base);
    Variant variant;
    const auto say = [&](const std::string& text) {
        variant.what += (variant.what.empty() ? "" : ", ") + text;
    };
    const std::array<std::pair<const char*, double>, 2> sides{{{".left", 1.0}, {".right", -1.0}}};

    // Rests first, while the body still faces +Z: from what it stands in, arms and legs are turned on.
    const double pose = uniform(random, 0, 5);
    if (pose > 1) {
        say(pose < 2 ? "arms lowered" : pose < 3 ? "arms ahead" : pose < 4 ? "crouched" : "feet apart");
        const double by = uniform(random, 0.2, 0.9);
        for (const auto& [side, x] : sides) {
            if (pose < 2) cloud.turn(cloud.joint(std::string("upperarm") + side), axis_rotation(2, -x * by));
            if (pose >= 2 && pose < 3)
                cloud.turn(cloud.joint(std::string("upperarm") + side), axis_rotation(1, -x * by));
            if (pose >= 3 && pose < 4) {
                cloud.turn(cloud.joint(std::string("thigh") + side), axis_rotation(0, -by));
                cloud.turn(cloud.joint(std::string("shin") + side), axis_rotation(0, 1.8 * by));
                cloud.turn(cloud.joint(std::string("foot") + side), axis_rotation(0, -0.8 * by));
            }
            if (pose >= 4)
                cloud.turn(cloud.joint(std::string("thigh") + side), axis_rotation(2, x * 0.5 * by));
        }
    }
    if (chance(random, 0.4)) {
        const double k = std::exp(uniform(random, std::log(0.4), std::log(2.5)));
        const bool legs = chance(random, 0.5);
        say(fmt::format("{} x {:.2f}", legs ? "legs" : "arms", k));
        for (const auto& [side, x] : sides) {
            const std::string s = side;
            legs ? cloud.stretch("thigh" + s, "shin" + s, "foot" + s, k)
                 : cloud.stretch("upperarm" + s, "forearm" + s, "hand" + s, k);
        }
    }
    if (auto spine = cloud.spine(); spine.size() > 1 && chance(random, 0.3)) {
        say("a spine bone less");
        cloud.remove(spine[spine.size() / 2 - 1 + 0], false);
        spine = cloud.spine();
        std::vector<int> joints;
        for (const auto& [role, j] : cloud.body().joint_of_role)
            if (role.starts_with("spine.") || role == "chest") joints.push_back(j);
        std::sort(joints.begin(), joints.end());
        cloud.number_spine(joints);
    } else if (!spine.empty() && chance(random, 0.4)) {
        say("a spine bone more");
        const int added = cloud.insert(cloud.joint(spine.size() > 1 ? "spine.1" : "chest"), 0.5, false);
        std::vector<int> joints{added};
        for (const auto& [role, j] : cloud.body().joint_of_role)
            if (role.starts_with("spine.") || role == "chest") joints.push_back(j);
        std::sort(joints.begin(), joints.end());
        cloud.number_spine(joints);
    }
    if (chance(random, 0.35)) {
        say("roll bones");
        for (const auto& [side, x] : sides)
            for (const auto* part : {"forearm", "hand", "shin", "foot"})
                if (const int j = cloud.joint(std::string(part) + side); j >= 0) cloud.insert(j, 0.5, true);
    }
    if (cloud.joint("little.1.left") >= 0 && chance(random, 0.3)) {
        say("little fingers gone");
        for (const auto& [side, x] : sides) cloud.remove(cloud.joint(std::string("little.1") + side), true);
    }
    // Structure: what rigs of different makers do with the same body.
    const auto insert_both = [&](std::initializer_list<const char*> parts, double share) {
        for (const auto& [side, x] : sides)
            for (const auto* part : parts)
                if (const int j = cloud.joint(std::string(part) + side); j >= 0)
                    cloud.insert(j, share, false);
    };
    switch (int(uniform(random, 0, 16))) {
        case 0:
            say("pelvis in two");
            insert_both({"thigh"}, 0.5);
            break;
        case 1:
            say("limbs in two segments each");
            insert_both({"forearm", "hand", "shin", "foot"}, 0.5);
            break;
        case 2:
            say("upper segments in two");
            insert_both({"forearm", "shin"}, 0.5);
            break;
        case 3:
            say("doubled knees and elbows");
            insert_both({"shin", "forearm"}, 0.93);
            break;
        case 4:
            if (cloud.joint("clavicle.left") < 0) break;
            say("no clavicles");
            for (const auto& [side, x] : sides)
                cloud.remove(cloud.joint(std::string("clavicle") + side), false);
            break;
        case 5:
            if (cloud.joint("toe.left") < 0) break;
            say("no toes");
            for (const auto& [side, x] : sides) cloud.remove(cloud.joint(std::string("toe") + side), true);
            break;
        case 6:
            say("a root more");
            cloud.add_root();
            break;
        case 7:
            say("hips below the thighs");
            cloud.lower_hips();
            break;
        case 8:
            if (cloud.joint("index.1.left") < 0 || cloud.joint("index.palm.left") >= 0) break;
            say("metacarpals");
            for (const auto& [side, x] : sides)
                for (const auto* finger : {"index", "middle", "ring", "little"})
                    if (const int j = cloud.joint(fmt::format("{}.1{}", finger, side)); j >= 0)
                        cloud.body().joint_of_role[fmt::format("{}.palm{}", finger, side)] =
                            cloud.insert(j, 0.25, false);
            break;
        case 9:
            if (cloud.joint("index.3.left") < 0) break;
            say("two-bone fingers");
            for (const auto& [side, x] : sides)
                for (const auto* finger : {"index", "middle", "ring", "little"})
                    if (const int j = cloud.joint(fmt::format("{}.3{}", finger, side)); j >= 0)
                        cloud.remove(j, false);
            break;
        default:
            break;
    }
    if (chance(random, 0.5)) {
        say("jittered");
        cloud.jitter(random);
    }
    if (chance(random, 0.3)) {
        say("mirrored");
        cloud.mirror();
    }
    if (chance(random, 0.6)) {
        say("turned");
        const Vec3 v(uniform(random, -1, 1), uniform(random, -1, 1), uniform(random, -1, 1));
        cloud.turn_all(exp_rotation(uniform(random, 0, 3) * v.normalized()));
    }
    variant.body = cloud.finish();
    if (has_names) {
        name_by_roles(variant.body, unsigned(random() >> 20));
        return variant;
    }
    for (size_t j = 0; j < variant.body.skeleton.names.size(); ++j)
        variant.body.skeleton.names[j] = fmt::format("n{:03d}", (j * 37 + seed * 11) % 997);
    return variant;
}

}  // namespace nb::test
