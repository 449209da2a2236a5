#include "core/library/families.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <map>
#include <numbers>
#include <numeric>
#include <set>
#include <string_view>
#include <tuple>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/body/names.hpp"
#include "core/documents/character.hpp"
#include "core/library/folder_work.hpp"
#include "core/math/turn_between.hpp"
#include "core/rest/edit.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* families_folder = "families";
constexpr std::string_view family_ending = ".family.json";
/// Of a character's document, what a family has.
constexpr std::array<const char*, 9> shared_parts{"rig",         "plan",   "settled", "roles",  "rest",
                                                  "other_rests", "solved", "chains",  "touches"};
constexpr double by_name_sure = 0.97, by_shape_sure = 0.85;

/// World offsets from joint to joint of the rest pose, no turns: all that shape needs.
Skeleton shape_of(const Skeleton& skeleton) {
    Skeleton shape;
    const Pose pose = rest_pose(skeleton);
    for (int j = 0; j < skeleton.size(); ++j) {
        const int parent = skeleton.parents[size_t(j)];
        shape.names.push_back(skeleton.names[size_t(j)]);
        shape.parents.push_back(parent);
        shape.rest_R.push_back(Quat::Identity());
        shape.rest_p.push_back(parent < 0 ? pose.p[size_t(j)]
                                          : Vec3(pose.p[size_t(j)] - pose.p[size_t(parent)]));
    }
    return shape;
}

int hips_of(const Json& character, const Skeleton& skeleton) {
    const Json& roles = character.contains("roles") ? character["roles"] : Json::object();
    const auto hips = roles.find("hips");
    return hips == roles.end() ? -1 : skeleton.find(hips->value("bone", ""));
}

double height_below(const Skeleton& shape, int top) {
    const Pose pose = rest_pose(shape);
    double low = 1e30, high = -1e30;
    for (int j = 0; j < shape.size(); ++j) {
        if (j != top && !shape.is_ancestor(top, j)) continue;
        low = std::min(low, pose.p[size_t(j)].y());
        high = std::max(high, pose.p[size_t(j)].y());
    }
    return std::max(1e-6, high - low);
}

// By name: its own, or one of the same words, side and number that is the only one so.
class ByName {
  public:
    explicit ByName(const Skeleton& rig) : rig_(rig) {
        for (int j = 0; j < rig.size(); ++j) {
            const BoneWords words = read_bone_name(rig.names[size_t(j)]);
            alike_[key(words)].push_back(j);
        }
    }
    int find(const std::string& bone) const {
        if (const int exact = rig_.find(bone); exact >= 0) return exact;
        const auto at = alike_.find(key(read_bone_name(bone)));
        return at != alike_.end() && at->second.size() == 1 ? at->second.front() : -1;
    }

  private:
    const Skeleton& rig_;
    std::map<std::string, std::vector<int>> alike_;
    static std::string key(const BoneWords& words) {
        return fmt::format("{}|{}|{}", fmt::join(words.words, " "), int(words.side), words.number);
    }
};

std::vector<int> joints_by_name(const Skeleton& family, const Skeleton& rig) {
    const ByName names(rig);
    std::vector<int> joints(family.names.size(), -1);
    std::set<int> taken;
    for (int j = 0; j < family.size(); ++j) {
        const int joint = names.find(family.names[size_t(j)]);
        if (joint < 0 || taken.contains(joint)) continue;
        // A like name on another limb is another bone.
        int above = family.parents[size_t(j)];
        while (above >= 0 && joints[size_t(above)] < 0) above = family.parents[size_t(above)];
        if (above >= 0 && !rig.is_ancestor(joints[size_t(above)], joint)) continue;
        joints[size_t(j)] = joint;
        taken.insert(joint);
    }
    return joints;
}

// By shape: two bones are as alike as their offsets from the bone above are, in heights of their bodies, and what hangs on
// them is; children are given to each other so that the sum is largest.
//
//   M(a, b) = exp(-|o_a - o_b|^2 / s^2) + max over pairings of children  sum M(a_c, b_c)
class ByShape {
  public:
    ByShape(const Skeleton& family, int hips, const Skeleton& rig)
        : A_(family), B_(rig), a_below_(family.children()), b_below_(rig.children()), hips_(hips) {
        scale_a_ = 1.0 / height_below(family, hips);
    }
    std::vector<int> joints() {
        std::vector<int> best(A_.names.size(), -1);
        double best_sum = 0.0;
        for (int root = 0; root < B_.size(); ++root) {
            if (b_below_[size_t(root)].size() < 2) continue;  // hips carry legs and a spine
            scale_b_ = 1.0 / height_below(B_, root);
            known_.clear();
            const double sum = below(hips_, root);
            if (sum <= best_sum) continue;
            best_sum = sum;
            std::fill(best.begin(), best.end(), -1);
            follow(hips_, root, best);
        }
        return best;
    }

  private:
    static constexpr double alike_within = 0.08;  // heights
    static constexpr double least_alike = 0.05;
    static constexpr size_t most_arranged = 6;
    static constexpr double place_weight = 0.005, angle_weight = 2.0;  // heights; of a half turn
    const Skeleton &A_, &B_;
    std::vector<std::vector<int>> a_below_, b_below_;
    int hips_;
    double scale_a_ = 1.0, scale_b_ = 1.0;
    struct Known {
        double sum = 0.0;
        std::vector<std::pair<int, int>> children;
    };
    std::map<std::pair<int, int>, Known> known_;

    double alike(int a, int b) const {
        const Vec3 off = scale_a_ * A_.rest_p[size_t(a)] - scale_b_ * B_.rest_p[size_t(b)];
        return std::exp(-off.squaredNorm() / (alike_within * alike_within));
    }
    /// What hangs on both, and they themselves.
    double below(int a, int b) {
        if (const auto at = known_.find({a, b}); at != known_.end()) return at->second.sum;
        const auto &of_a = a_below_[size_t(a)], &of_b = b_below_[size_t(b)];
        std::vector<std::tuple<double, int, int>> pairs;
        for (const int x : of_a)
            for (const int y : of_b)
                if (const double own = alike(x, y); own > least_alike)
                    pairs.emplace_back(own + below(x, y), x, y);
        // The largest first: limbs differ in what hangs on them long before two of them could be exchanged for a larger sum.
        std::sort(pairs.begin(), pairs.end(), [](const auto& p, const auto& q) {
            return std::tuple(-std::get<0>(p), std::get<1>(p), std::get<2>(p)) <
                   std::tuple(-std::get<0>(q), std::get<1>(q), std::get<2>(q));
        });
        Known known;
        std::set<int> has_a, has_b;
        for (const auto& [sum, x, y] : pairs) {
            if (has_a.contains(x) || has_b.contains(y)) continue;
            has_a.insert(x);
            has_b.insert(y);
            known.sum += sum;
            known.children.emplace_back(x, y);
        }
        known_[{a, b}] = known;
        return known.sum;
    }
    void follow(int a, int b, std::vector<int>& joints) const {
        joints[size_t(a)] = b;
        const auto at = known_.find({a, b});
        if (at == known_.end()) return;
        for (const auto& [x, y] : arranged(at->second.children)) follow(x, y, joints);
    }
    int count_below(const std::vector<std::vector<int>>& children, int joint) const {
        int count = 1;
        for (const int child : children[size_t(joint)]) count += count_below(children, child);
        return count;
    }
    /// Where a limb stands turned, each of what it carries may be nearest to its neighbour: of all orders of those with as
    /// much below them the one whose places are the same but for a turn, and the least one.
    std::vector<std::pair<int, int>> arranged(const std::vector<std::pair<int, int>>& found) const {
        if (found.size() < 3 || found.size() > most_arranged) return found;
        std::vector<size_t> order(found.size()), best;
        std::iota(order.begin(), order.end(), size_t(0));
        double least = 1e30;
        do {
            bool is_alike = true;
            std::vector<Vec3> was, is;
            for (size_t i = 0; i < found.size() && is_alike; ++i) {
                const int x = found[i].first, y = found[order[i]].second;
                is_alike = count_below(a_below_, x) == count_below(b_below_, y);
                was.push_back(scale_a_ * A_.rest_p[size_t(x)]);
                is.push_back(scale_b_ * B_.rest_p[size_t(y)]);
            }
            if (!is_alike) continue;
            const Quat turn = turn_between(was, is);
            double off = 0.0;
            for (size_t i = 0; i < was.size(); ++i) off += (is[i] - turn * was[i]).squaredNorm();
            const double cost = std::sqrt(off / double(was.size())) / place_weight +
                                angle_weight * angle_between(turn, Quat::Identity()) / std::numbers::pi;
            if (cost < least) {
                least = cost;
                best = order;
            }
        } while (std::next_permutation(order.begin(), order.end()));
        if (best.empty()) return found;
        std::vector<std::pair<int, int>> arranged;
        for (size_t i = 0; i < found.size(); ++i)
            arranged.emplace_back(found[i].first, found[best[i]].second);
        return arranged;
    }
};

FamilyFit counted(std::vector<int> joints, bool is_by_shape) {
    FamilyFit fit;
    fit.of = int(joints.size());
    fit.bones = int(std::count_if(joints.begin(), joints.end(), [](int joint) { return joint >= 0; }));
    fit.is_by_shape = is_by_shape;
    fit.joints = std::move(joints);
    return fit;
}

/// A member as it is, and its rig as the file has it.
struct Member {
    LoadedFile file, found;
    const Take* take() const { return found.take ? &*found.take : nullptr; }
};
Member read_member(const LibraryEntry& entry) {
    if (entry.document.empty()) throw FileError(entry.path, "has no character.json", "give its roles first");
    Member member;
    std::vector<std::string> notes;
    member.file = load_character(entry.path, entry.document, notes);
    LoadOptions options = member.file.character.rig.options;
    member.found = load_file(entry.path, options);
    return member;
}

/// A member without what was given by hand: what a family it joins may give.
Character without_own_hand(const Character& member) {
    Character base = member;
    std::erase_if(base.roles.fills, [](const RoleFill& fill) { return fill.is_by_hand; });
    update_role_lists(base.rig.skeleton, base.roles);
    std::vector<std::string> turned;
    for (const auto& [role, found] : base.rest.found)
        if (found.roll == RollSource::by_hand) turned.push_back(role);
    set_dials(base.rig.skeleton, base.roles, base.rest, {});
    if (base.solved.is_there())
        take_from_alignment(base.rig.skeleton, base.roles, base.rest, base.solved, turned);
    base.rest.stance = Stance();
    base.chains.clear();
    base.touches.clear();
    base.other_rests.clear();
    return base;
}

/// Its document with a new character in it, and of this family; the name and all else as they are.
std::string document_with(const LoadedFile& file, Character character, const FamilyName& family) {
    character.document_text = file.character_document.text;
    character.id = file.character.id;
    character.name = file.character.name;
    Json document = character_document(character);
    document.erase("family");
    if (!family.id.empty()) {
        document["family"]["id"] = family.id;
        document["family"]["name"] = family.name;
    }
    return format_document(document);
}

DocumentChange change_of(const LoadedFile& file, const Character& character, const FamilyName& family) {
    return {file.character_document.path, file.character_document.text,
            document_with(file, character, family)};
}

/// A family as a body of its own: its bones, without axes and skin.
Character on_own_bones(const Family& family) {
    Character body;
    body.id = family.id;
    body.name = family.name;
    body.rig.path = "family.bvh";
    body.rig.skeleton = family.skeleton;
    Json document = document_header("character", family.id);
    document["name"] = family.name;
    for (const auto& [key, value] : family.character.items()) document[key] = value;
    document["rig"]["path"] = body.rig.path;
    std::vector<std::string> notes;
    apply_character_document(document, family.path, body, nullptr, notes);
    body.document_text.clear();
    return body;
}

/// What a member has, on the bones of its family: `fit` says where they are in the member's rig. Roles whose bones the
/// member's rig has not stay the family's.
Character as_on(const Character& body, const Character& member, const FamilyFit& fit, bool with_roles) {
    Character on = body;
    const Skeleton& skeleton = body.rig.skeleton;
    for (size_t bone = 0; with_roles && bone < fit.joints.size(); ++bone) {
        if (fit.joints[bone] < 0) continue;
        const std::string role = member.roles.role_of(fit.joints[bone]);
        if (role == on.roles.role_of(int(bone))) continue;
        if (!role.empty())
            give_role(skeleton, on.roles, role, int(bone));
        else if (const std::string before = on.roles.role_of(int(bone)); member.roles.joint(before) < 0)
            give_role(skeleton, on.roles, before, -1);
    }
    for (RoleFill& fill : on.roles.fills)
        if (const RoleFill* own = member.roles.fill(fill.role)) {
            fill.confidence = own->confidence;
            fill.is_by_hand = own->is_by_hand;
            fill.evidence = own->evidence;
        }
    // The T of these roles, and on it what stands beyond the member's own.
    on = with_parts(body, on, {with_roles, false, false, false}, nullptr);
    const auto over = [&](const RestAlignment& rest) {
        return carried_over(member.roles, rest, member.solved, skeleton, on.roles, on.solved);
    };
    on.rest = over(member.rest);
    std::vector<std::string> not_there;
    for (const RoleFill& fill : on.roles.fills)
        if (member.roles.joint(fill.role) < 0 && body.roles.joint(fill.role) == fill.joint)
            not_there.push_back(fill.role);
    take_from_alignment(skeleton, on.roles, on.rest, body.rest, not_there);
    on.other_rests.clear();
    for (const RestAlignment& rest : member.other_rests) on.other_rests.push_back(over(rest));
    on.chains = member.chains;
    on.touches = member.touches;
    return on;
}

bool is_told_to_stop(const FamilyProgress& progress, int done, int of) {
    return progress && !progress(done, of);
}

}  // namespace

Family family_of(const Character& body, const std::string& name) {
    Family family;
    family.id = make_uuid();
    family.name = name;
    Character bare = body;
    bare.document_text.clear();
    const Json document = character_document(bare);
    for (const char* part : shared_parts)
        if (document.contains(part)) family.character[part] = document[part];
    family.skeleton = shape_of(body.rig.skeleton);
    family.hips = hips_of(family.character, family.skeleton);
    return family;
}

Json family_document(const Family& family) {
    Json document = document_header("family", family.id);
    document["name"] = family.name;
    document["character"] = family.character;
    Json& bones = document["bones"] = Json::array();
    for (int j = 0; j < family.skeleton.size(); ++j) {
        Json& bone = bones.emplace_back();
        bone["name"] = family.skeleton.names[size_t(j)];
        bone["on"] = family.skeleton.parents[size_t(j)];
        const Vec3& at = family.skeleton.rest_p[size_t(j)];
        for (int axis = 0; axis < 3; ++axis)
            bone["at_m"].push_back(canonical(std::round(at[axis] * 1e5) / 1e5));
    }
    return document;
}

Family read_family(const std::string& path) {
    const Json document = read_document(path, "family");
    return reading(path, [&] {
        Family family;
        family.path = path;
        family.id = text_in(document, "id", path);
        family.name = text_in(document, "name", path);
        family.character = object_in(document, "character", path);
        Skeleton& skeleton = family.skeleton;
        for (const Json& bone : list_or_none(document, "bones", path)) {
            const int j = skeleton.size();
            skeleton.names.push_back(text_in(bone, "name", path));
            skeleton.parents.push_back(int(number_in(bone, "on", -1.0, double(frame_limit), path)));
            if (skeleton.parents.back() >= j)
                throw FileError(
                    path, fmt::format("bone '{}' hangs on one that comes after it", skeleton.names.back()),
                    "write the bones with those above first");
            const Json& at = bone.at("at_m");
            if (!at.is_array() || at.size() != 3)
                throw FileError(path,
                                fmt::format("bone '{}': 'at_m' is not three numbers", skeleton.names.back()),
                                "write its place from the bone above, in metres");
            Vec3 p;
            for (size_t axis = 0; axis < 3; ++axis) p[Eigen::Index(axis)] = at[axis].get<double>();
            if (!p.allFinite())
                throw FileError(path, fmt::format("bone '{}': 'at_m' is not finite", skeleton.names.back()),
                                "write its place from the bone above, in metres");
            skeleton.rest_p.push_back(p);
            skeleton.rest_R.push_back(Quat::Identity());
        }
        family.hips = hips_of(family.character, skeleton);
        if (family.hips < 0)
            throw FileError(path, "names no bone of its own as hips",
                            "write 'character', 'roles', 'hips', 'bone'");
        return family;
    });
}

std::vector<Family> families_in(const Library& library, std::vector<std::string>& troubles) {
    std::vector<Family> families;
    for (const fs::path& file : sorted_entries((fs::path(library.folder) / families_folder).string())) {
        if (!file.filename().string().ends_with(family_ending)) continue;
        try {
            families.push_back(read_family(file.string()));
        } catch (const std::exception& fault) {
            troubles.emplace_back(fault.what());
        }
    }
    return families;
}

FamilyFit fit_of(const Family& family, const Rig& rig) {
    FamilyFit by_name = counted(joints_by_name(family.skeleton, rig.skeleton), false);
    if (by_name.bones == by_name.of || family.hips < 0) return by_name;
    const Skeleton shape = shape_of(rig.skeleton);
    FamilyFit by_shape = counted(ByShape(family.skeleton, family.hips, shape).joints(), true);
    return by_shape.bones > by_name.bones && by_name.share() < least_by_name ? by_shape : by_name;
}

std::string words_of(const FamilyFit& fit) {
    return fmt::format("{} of {} bones by {}", fit.bones, fit.of, fit.is_by_shape ? "shape" : "name");
}

BestFit best_fit(const std::vector<Family>& families, const Rig& rig) {
    BestFit best;
    std::vector<int> order;
    for (size_t i = 0; i < families.size(); ++i) {
        best.fits.push_back(fit_of(families[i], rig));
        if (is_fit(best.fits.back())) order.push_back(int(i));
    }
    // Of two as good the one found by name, then the first.
    std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
        const FamilyFit &x = best.fits[size_t(a)], &y = best.fits[size_t(b)];
        return std::tuple(-x.share(), x.is_by_shape) < std::tuple(-y.share(), y.is_by_shape);
    });
    if (!order.empty()) best.best = order[0];
    if (order.size() > 1) best.next = order[1];
    return best;
}

Filled filled_by(const Family& family, const FamilyFit& fit, const LoadedFile& found) {
    Filled filled;
    filled.character = found.character;
    Character& c = filled.character;
    const Skeleton& skeleton = c.rig.skeleton;
    Json document = document_header("character", c.id.empty() ? make_uuid() : c.id);
    document["name"] = c.name.empty() ? family.name : c.name;
    for (const auto& [key, value] : family.character.items()) document[key] = value;
    document["rig"]["path"] = fs::path(c.rig.path).filename().string();
    Json& roles = document["roles"];
    std::set<int> taken;
    std::vector<std::string> not_here;
    for (auto& [role, fill] : roles.items()) {
        const int bone = family.skeleton.find(fill.value("bone", ""));
        const int joint = bone < 0 ? -1 : fit.joints[size_t(bone)];
        if (joint < 0) {
            not_here.push_back(role);
            continue;
        }
        taken.insert(joint);
        fill["bone"] = skeleton.names[size_t(joint)];
        fill["confidence"] = fit.is_by_shape ? by_shape_sure : by_name_sure;
        fill["evidence"] = Json::array(
            {fmt::format("'{}' has it on {}", family.name,
                         fit.is_by_shape ? "the bone that hangs and stands so" : "the bone of this name")});
    }
    for (const std::string& role : not_here) roles.erase(role);
    if (found.character.roles.plan == document.value("plan", "biped"))
        for (const RoleFill& fill : found.character.roles.fills) {
            if (roles.contains(fill.role) || taken.contains(fill.joint)) continue;
            roles[fill.role]["bone"] = skeleton.names[size_t(fill.joint)];
            roles[fill.role]["confidence"] = fill.confidence;
            roles[fill.role]["by_hand"] = false;
            roles[fill.role]["evidence"] = fill.evidence;
            filled.by_evidence.push_back(fill.role);
        }
    apply_character_document(document, family.path.empty() ? family.name : family.path, c,
                             found.take ? &*found.take : nullptr, filled.notes);
    std::erase_if(filled.notes, [](const std::string& note) {
        return note.find("another state of the rig") != std::string::npos;
    });
    c.id = found.character.id;
    c.name = found.character.name;
    c.document_text.clear();
    return filled;
}

FamilyName family_named(const std::string& document_text) {
    const Json document = Json::parse(document_text, nullptr, false);
    const auto of = document.is_object() ? document.find("family") : document.end();
    if (!document.is_object() || of == document.end() || !of->is_object()) return {};
    const auto text = [&](const char* key) {
        return of->contains(key) && (*of)[key].is_string() ? (*of)[key].get<std::string>() : std::string();
    };
    return {text("id"), text("name")};
}

std::vector<LibraryEntry> members_of(const Library& library, const std::string& family_id) {
    std::vector<LibraryEntry> members;
    for (const LibraryEntry& entry : library.characters) {
        if (entry.document.empty()) continue;
        try {
            if (family_named(read_file(entry.document)).id == family_id) members.push_back(entry);
        } catch (const FileError&) {  // told where it is opened
        }
    }
    return members;
}

FamilyChange founding(const Library& library, const LibraryEntry& character, const std::string& name) {
    need_folder(library);
    const Member member = read_member(character);
    const Family family = family_of(member.file.character, name);
    const fs::path folder = fs::path(library.folder) / families_folder;
    const std::string place = (folder / (folder_name(name) + std::string(family_ending))).string();
    std::error_code error;
    if (fs::exists(place, error)) throw FileError(place, "is there already", "give the family another name");
    FamilyChange change;
    change.documents.push_back({place, {}, format_document(family_document(family))});
    change.documents.push_back(change_of(member.file, member.file.character, {family.id, family.name}));
    change.members.push_back({character, member.file.character.name, {member.file.character, {}, {}}, {}});
    return change;
}

FamilyChange joining(const Library&, const Family& family, const LibraryEntry& character) {
    const Member member = read_member(character);
    const FamilyFit fit = fit_of(family, member.found.character.rig);
    if (!is_fit(fit))
        throw FileError(character.path, fmt::format("has {} of the family '{}'", words_of(fit), family.name),
                        "it is another body: make a family of its own");
    const Filled now = filled_by(family, fit, member.found);
    FamilyChange change;
    const Character& own = member.file.character;
    change.members.push_back(
        {character, own.name, merged(own, without_own_hand(own), now.character, member.take()), {}});
    change.documents.push_back(
        change_of(member.file, change.members[0].merge.character, {family.id, family.name}));
    return change;
}

FamilyChange leaving(const Library&, const LibraryEntry& character) {
    const Member member = read_member(character);
    FamilyChange change;
    change.members.push_back({character, member.file.character.name, {member.file.character, {}, {}}, {}});
    change.documents.push_back(change_of(member.file, member.file.character, {}));
    return change;
}

FamilyChange giving(const Library& library, const Family& family, const LibraryEntry& from,
                    const Parts& parts, const FamilyProgress& progress) {
    const Member giver = read_member(from);
    // On the family's own bones, so that what the giver's rig lacks is not lost to the others.
    const Character body = on_own_bones(family);
    const FamilyFit fit = fit_of(family, giver.found.character.rig);
    Family now = family_of(
        with_parts(body, as_on(body, giver.file.character, fit, parts.roles), parts, nullptr), family.name);
    now.id = family.id;
    now.path = family.path;
    FamilyChange change;
    const std::vector<LibraryEntry> members = members_of(library, family.id);
    for (size_t i = 0; i < members.size(); ++i) {
        if (is_told_to_stop(progress, int(i), int(members.size()))) return {};
        FamilyChange::Member told{members[i], members[i].name, {}, {}};
        try {
            const Member member = read_member(members[i]);
            const Character& own = member.file.character;
            told.name = own.name;
            const Filled base = filled_by(family, fit_of(family, member.found.character.rig), member.found);
            const Filled then = filled_by(now, fit_of(now, member.found.character.rig), member.found);
            told.merge = merged(own, base.character, then.character, member.take());
            if (!told.merge.taken.empty())
                change.documents.push_back(
                    change_of(member.file, told.merge.character, {family.id, family.name}));
        } catch (const std::exception& fault) {
            told.trouble = fault.what();
        }
        change.members.push_back(std::move(told));
    }
    // Last: whoever reads it half-way finds members that are ahead of it, which a second time puts right.
    change.documents.push_back({family.path, read_file(family.path), format_document(family_document(now))});
    return change;
}

FamilyChange filling(const Library& library, const std::vector<Family>& families,
                     std::vector<std::string>& fits, const FamilyProgress& progress) {
    FamilyChange change;
    for (size_t i = 0; i < library.characters.size(); ++i) {
        if (is_told_to_stop(progress, int(i), int(library.characters.size()))) return {};
        const LibraryEntry& entry = library.characters[i];
        try {
            LoadedFile found;
            Member member;
            if (entry.document.empty()) {
                found = load_file(entry.path);
            } else {
                if (!family_named(read_file(entry.document)).id.empty()) continue;
                member = read_member(entry);
                found = member.found;
            }
            const BestFit best = best_fit(families, found.character.rig);
            if (best.best < 0) {
                fits.push_back(fmt::format("{}: none fits", entry.name));
                continue;
            }
            const Family& family = families[size_t(best.best)];
            std::string line =
                fmt::format("{}: '{}', {}", entry.name, family.name, words_of(best.fits[size_t(best.best)]));
            if (best.next >= 0)
                line += fmt::format("; next '{}', {}", families[size_t(best.next)].name,
                                    words_of(best.fits[size_t(best.next)]));
            const Filled now = filled_by(family, best.fits[size_t(best.best)], found);
            if (!now.by_evidence.empty())
                line += fmt::format("; {} by evidence", fmt::join(now.by_evidence, ", "));
            fits.push_back(line);
            if (entry.document.empty()) {
                Character made = now.character;
                made.id = make_uuid();
                made.name = entry.name;
                LoadedFile file = found;
                file.character = made;
                const std::string place = (fs::path(entry.path).parent_path() / "character.json").string();
                change.documents.push_back({place, {}, document_with(file, made, {family.id, family.name})});
                change.members.push_back({entry, entry.name, {made, {}, {}}, {}});
            } else {
                const Character& own = member.file.character;
                Merge merge = merged(own, without_own_hand(own), now.character, member.take());
                change.documents.push_back(change_of(member.file, merge.character, {family.id, family.name}));
                change.members.push_back({entry, own.name, std::move(merge), {}});
            }
        } catch (const std::exception& fault) {
            fits.push_back(fmt::format("{}: {}", entry.name, fault.what()));
        }
    }
    return change;
}

void put_change(const Library& library, const FamilyChange& change, bool back) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const auto now_of = [](const std::string& path) {
        std::error_code error;
        return fs::exists(path, error) ? read_file(path) : std::string();
    };
    for (const DocumentChange& one : change.documents)
        if (now_of(one.path) != (back ? one.after : one.before))
            throw FileError(one.path, "has been changed meanwhile", "look at it again, then repeat this");
    size_t done = 0;
    const auto put = [](const std::string& path, const std::string& text) {
        std::error_code error;
        if (text.empty()) {
            fs::remove(path, error);
            return;
        }
        make_folder(fs::path(path).parent_path());
        write_file(path, text);
    };
    try {
        for (; done < change.documents.size(); ++done) {
            const DocumentChange& one = change.documents[done];
            put(one.path, back ? one.before : one.after);
        }
    } catch (...) {
        while (done-- > 0) {
            const DocumentChange& one = change.documents[done];
            put(one.path, back ? one.after : one.before);
        }
        throw;
    }
}

}  // namespace nb
