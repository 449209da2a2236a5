// Longer than other files: bodies of many makes, one after the other; a reader looks for one of them.
#include "tests/support/strangers.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/body/plan.hpp"
#include "tests/support/stranger_names.hpp"

namespace nb::test {

namespace {

/// Drawn without the library's distributions, so that every machine draws the same.
class Dice {
  public:
    explicit Dice(std::uint64_t seed) : random_(seed * 0x9E3779B97F4A7C15ull + 12345u) {}
    double between(double low, double high) { return low + (high - low) * double(random_() >> 11) * 0x1p-53; }
    bool chance(double share) { return between(0, 1) < share; }
    int count(int low, int high) { return low + int(random_() % std::uint64_t(high - low + 1)); }
    /// One of the weights' places.
    int pick(const std::vector<double>& weights) {
        double left = between(0, std::accumulate(weights.begin(), weights.end(), 0.0));
        for (size_t i = 0; i < weights.size(); ++i)
            if ((left -= weights[i]) < 0) return int(i);
        return int(weights.size()) - 1;
    }

  private:
    std::mt19937_64 random_;
};

/// A bone while the body is put together: its place in the world, the body facing +Z, its left +X.
struct Bone {
    int parent = -1;
    Vec3 p = Vec3::Zero();
    std::string role;
    std::string tray;
    BoneLabel label;
    bool deforms = true;
    double radius = 0.03;
    Vec3 tip = Vec3::Zero();  ///< where a last bone ends, from its joint
    bool has_site = false;
};

class Grammar {
  public:
    Grammar(std::uint64_t seed, StrangerNames names) : dice_(seed), seed_(seed), names_(names) {}

    Stranger make() {
        const int kind = dice_.pick({0.72, 0.09, 0.08, 0.11});
        plan_ = std::array<const char*, 4>{"biped", "tailed biped", "bird-legged", "quadruped"}[size_t(kind)];
        has_skin_ = dice_.chance(0.5);
        has_ends_ = dice_.chance(0.35);
        has_sites_ = !has_ends_ && !has_skin_ && dice_.chance(0.5);
        uneven_ = dice_.chance(0.12) ? 0.08 : dice_.chance(0.6) ? 0.004 : 0.02;
        if (kind == 3)
            four_legged();
        else
            upright();
        extras();
        return finish();
    }

  private:
    Dice dice_;
    std::uint64_t seed_;
    StrangerNames names_;
    std::string plan_;
    std::vector<Bone> bones_;
    std::vector<std::string> traits_;
    std::map<std::string, std::vector<int>> also_;
    bool has_skin_ = false, has_ends_ = false, has_sites_ = false;
    bool is_facing_known_ = true;
    double uneven_ = 0.0;
    int floor_root_ = -1;
    // Of stature 1.
    double hip_m_ = 0, leg_ = 0, arm_ = 0, head_ = 0, trunk_ = 0, neck_ = 0, hip_half_ = 0,
           shoulder_half_ = 0, hand_ = 0, foot_ = 0;

    void trait(const std::string& text) { traits_.push_back(text); }
    int add(int parent, const Vec3& p, const std::string& role, BoneLabel label, double radius = 0.03) {
        Bone bone;
        bone.parent = parent;
        bone.p = p;
        bone.role = role;
        bone.label = std::move(label);
        bone.radius = radius;
        bones_.push_back(bone);
        return int(bones_.size()) - 1;
    }
    /// A bone that is no part of the body plan.
    int other(int parent, const Vec3& p, const std::string& tray, BoneLabel label, bool deforms,
              double radius = 0.02) {
        const int j = add(parent, p, "", std::move(label), radius);
        bones_[size_t(j)].tray = tray;
        bones_[size_t(j)].deforms = deforms;
        return j;
    }
    Vec3& at(int j) { return bones_[size_t(j)].p; }
    int joint(const std::string& role) const {
        for (size_t i = 0; i < bones_.size(); ++i)
            if (bones_[i].role == role) return int(i);
        return -1;
    }
    bool is_below(int above, int j) const {
        while (j >= 0 && j != above) j = bones_[size_t(j)].parent;
        return j == above;
    }
    /// Turns what hangs on a joint about it.
    void turn(int pivot, const Vec3& axis, double degrees) {
        if (pivot < 0) return;
        const Quat R = exp_rotation(deg_to_rad(degrees) * axis);
        for (int j = 0; j < int(bones_.size()); ++j)
            if (is_below(pivot, j)) {
                at(j) = at(pivot) + R * (at(j) - at(pivot));
                bones_[size_t(j)].tip = R * bones_[size_t(j)].tip;
            }
    }
    double uneven() { return 1.0 + dice_.between(-uneven_, uneven_); }

    static std::string sided(const std::string& part, double sx) {
        return part + (sx > 0 ? ".left" : ".right");
    }
    static Side side_of(double sx) { return sx > 0 ? Side::left : Side::right; }

    /// The further pieces of a bone split in `count`, between two points; the last one.
    int segments(int first, Vec3 from, Vec3 to, int count, const BoneLabel& label, double radius) {
        int last = first;
        for (int i = 1; i < count; ++i) {
            BoneLabel piece = label;
            piece.segment = i + 1;
            last = other(last, from + (to - from) * (double(i) / count), "twist", piece, true, radius);
        }
        if (count > 1) bones_[size_t(first)].label.segment = 1;
        return last;
    }

    void proportions() {
        const int kind = dice_.pick({0.5, 0.16, 0.1, 0.24});
        if (kind == 0 || kind == 2) {
            // Shares of stature: Drillis & Contini, in Winter (from memory).
            hip_m_ = dice_.between(0.49, 0.55);
            head_ = dice_.between(0.10, 0.135);
            neck_ = dice_.between(0.035, 0.06);
            arm_ = dice_.between(0.31, 0.36);
            shoulder_half_ = dice_.between(0.10, 0.135);
            hip_half_ = dice_.between(0.045, 0.065);
            hand_ = dice_.between(0.095, 0.12);
            foot_ = dice_.between(0.13, 0.165);
            if (kind == 2) {
                arm_ *= dice_.between(1.0, 1.3);
                shoulder_half_ *= dice_.between(1.1, 1.6);
                head_ *= 0.75;
                hand_ *= dice_.between(1.0, 1.6);
                trait("giant");
            }
        } else if (kind == 1) {
            hip_m_ = dice_.between(0.40, 0.48);
            head_ = dice_.between(0.16, 0.22);
            neck_ = dice_.between(0.015, 0.03);
            arm_ = dice_.between(0.27, 0.32);
            shoulder_half_ = dice_.between(0.10, 0.13);
            hip_half_ = dice_.between(0.05, 0.065);
            hand_ = dice_.between(0.09, 0.11);
            foot_ = dice_.between(0.13, 0.16);
            trait("child");
        } else {
            head_ = dice_.between(0.25, 0.5);
            neck_ = dice_.between(0.0, 0.03);
            hip_m_ = dice_.between(0.2, std::min(0.6, 0.85 - head_ - neck_));
            arm_ = dice_.between(0.22, 0.5);
            shoulder_half_ = dice_.between(0.08, 0.2);
            hip_half_ = dice_.between(0.05, 0.12);
            hand_ = arm_ * dice_.between(0.2, 0.7);
            foot_ = dice_.between(0.1, 0.24);
            trait("cartoon");
        }
        trunk_ = 1.0 - hip_m_ - head_ - neck_;
        leg_ = hip_m_ - ankle();
    }
    double ankle() const { return std::min(0.05, 0.09 * hip_m_); }

    void upright() {
        proportions();
        const int segments_arm = dice_.pick({0.8, 0.15, 0.05}) + 1;
        const int segments_leg = dice_.chance(0.75) ? segments_arm : dice_.count(1, 2);
        if (segments_arm > 1) trait(fmt::format("arm bones in {}", segments_arm));
        if (segments_leg > 1) trait(fmt::format("leg bones in {}", segments_leg));
        const bool is_one_bone = dice_.chance(0.025);
        const bool is_one_bone_leg = is_one_bone && dice_.chance(0.5);
        // A single joint without skin has no length at all.
        has_skin_ |= is_one_bone;
        const int top = roots(Vec3(0, hip_m_, 0));
        const int neck_top = trunk(top);
        head(neck_top);
        arms(segments_arm, is_one_bone && !is_one_bone_leg);
        legs(segments_leg, is_one_bone_leg);
        if (is_one_bone) trait(is_one_bone_leg ? "legs of one bone" : "arms of one bone");
        if (plan_ == "tailed biped") tail(joint("hips"), at(joint("hips")), dice_.count(1, 8));
        pose();
    }

    /// What stands above the hips; the bone the hips hang on.
    int roots(Vec3 hips) {
        const int kind = dice_.pick({0.5, 0.25, 0.1, 0.08, 0.07});
        if (kind == 0) return -1;
        Vec3 floor(0, 0, 0);
        if (kind == 1) return floor_root_ = other(-1, floor, "wrapper", {"root"}, false);
        if (kind == 2) {
            trait("two roots");
            const int scene = other(-1, floor, "wrapper", {"scene"}, false);
            return floor_root_ = other(scene, floor, "wrapper", {"root"}, false);
        }
        if (kind == 3) {
            trait("root in the hips");
            floor_root_ = other(-1, floor, "wrapper", {"scene"}, false);
            return other(floor_root_, hips, "wrapper", {"root"}, false);
        }
        trait("root and a second one, empty");
        floor_root_ = other(-1, floor, "wrapper", {"root"}, false);
        other(floor_root_, floor, "prop", {"marker"}, false);
        return floor_root_;
    }

    int legs_from_ = -1, chest_ = -1, arms_from_ = -1;

    /// Hips, spine, chest and neck; returns the bone the head hangs on.
    int trunk(int top) {
        const Vec3 hip_centre(0, hip_m_, 0);
        const int spine_count =
            dice_.pick({0.12, 0.16, 0.24, 0.2, 0.12, 0.08, 0.05, 0.03});  // 0..7 and the chest
        // The hips joint sits anywhere about the thighs.
        double hips_off = dice_.between(-0.01, 0.035);
        if (dice_.chance(0.08)) {
            hips_off = -dice_.between(0.05, 0.09);
            trait("hips joint below the thighs");
        }
        const Vec3 hips_p = hip_centre + Vec3(0, hips_off * (hip_m_ + trunk_), dice_.between(-0.02, 0.01));
        const double length = trunk_ + hip_m_ - hips_p.y();
        // The chest's joint lies at half to four fifths of the trunk, the neck's at its top.
        const double chest_at = spine_count == 0 ? dice_.between(0.25, 0.6) : dice_.between(0.5, 0.75);
        std::vector<Vec3> places;
        for (int i = 0; i < spine_count; ++i) {
            const double u = chest_at * (i + 0.4) / (spine_count + 0.4);
            places.push_back(hips_p + Vec3(0, u * length, 0.01 - 0.03 * u));
        }
        places.push_back(hips_p + Vec3(0, chest_at * length, -0.015));
        const double girth = 0.5 * (hip_half_ + shoulder_half_) + 0.02;
        int hips = -1;
        int above = -1;
        if (spine_count >= 1 && dice_.chance(0.05)) {
            trait("spine runs both ways");
            above = add(top, places[0], "spine.1", {"spine", Side::none, 1}, girth);
            hips = add(above, hips_p, "hips", {"hips"}, girth);
        } else {
            hips = add(top, hips_p, "hips", {"hips"}, girth);
            above = hips;
        }
        legs_from_ = hips;
        for (size_t i = 0; i < places.size(); ++i) {
            const bool is_chest = i + 1 == places.size();
            if (!is_chest && joint(fmt::format("spine.{}", i + 1)) >= 0) continue;
            above = add(above, places[i], is_chest ? "chest" : fmt::format("spine.{}", i + 1),
                        is_chest ? BoneLabel{"chest", Side::none, int(i) + 1}
                                 : BoneLabel{"spine", Side::none, int(i) + 1},
                        girth);
        }
        chest_ = above;
        arms_from_ = chest_;
        const int kind = dice_.pick({0.74, 0.06, 0.06, 0.04, 0.05, 0.05});
        if (kind == 1 || kind == 2) {
            trait(kind == 1 ? "pelvis halves beside" : "pelvis halves at one point");
            legs_from_ = -2;
            stub_width_ = kind == 1 ? dice_.between(0.2, 0.5) * hip_half_ : 0.0;
            stub_lift_ = dice_.between(-0.01, 0.02);
        } else if (kind == 3) {
            trait("pelvis below the hips");
            legs_from_ = other(hips, hip_centre - Vec3(0, 0.02, 0), "helper", {"lowerpelvis"}, true, girth);
        } else if (kind == 4 && spine_count >= 2 && has_skin_ && joint("spine.1") > hips) {
            trait("thighs on the first spine bone");
            legs_from_ = joint("spine.1");
            at(legs_from_) = hips_p + Vec3(0, 0.015, 0);
        } else if (kind == 5 && floor_root_ >= 0) {
            trait("thighs and hips side by side on the root");
            legs_from_ = bones_[size_t(hips)].parent;
        }
        const Vec3 neck_p(0, hip_m_ + trunk_, -0.015);
        int neck = chest_;
        const int neck_count = neck_ < 0.012 ? dice_.count(0, 1) : dice_.pick({0.05, 0.68, 0.2, 0.07});
        if (neck_count == 0) trait("no neck");
        for (int i = 0; i < neck_count; ++i) {
            neck = add(neck, neck_p + Vec3(0, neck_ * i / neck_count, 0.02 * i / neck_count),
                       fmt::format("neck.{}", i + 1), {"neck", Side::none, neck_count > 1 ? i + 1 : -1},
                       0.35 * shoulder_half_);
            if (i == 0 && dice_.chance(0.06)) {
                trait("arms hang on the neck");
                arms_from_ = neck;
            }
        }
        if (arms_from_ == chest_ && spine_count > 0 && dice_.chance(0.05)) {
            trait("arms hang below the chest");
            arms_from_ = joint(fmt::format("spine.{}", spine_count));
        }
        return neck;
    }

    double stub_width_ = 0, stub_lift_ = 0;

    void head(int neck) {
        const Vec3 p(0, hip_m_ + trunk_ + neck_ + 0.08 * head_, 0.01);
        const int skull = add(neck, p, "head", {"head"}, 0.35 * head_);
        const Vec3 crown = Vec3(0, 0.9 * head_, 0.0);
        bones_[size_t(skull)].tip = crown;
        if (has_ends_) end_of(skull);
        if (has_sites_) bones_[size_t(skull)].has_site = true;
        if (dice_.chance(0.12)) {
            trait("tag on the head");
            other(skull, p, "helper", {"tag", Side::none, -1, "head"}, false);
        }
        if (dice_.chance(0.3))
            other(skull, p + Vec3(0, 0.2 * head_, 0.15 * head_), "face", {"jaw"}, true, 0.1 * head_);
        if (dice_.chance(0.35)) {
            const double ahead = dice_.chance(0.06) ? 2.0 : 0.35;
            if (ahead > 1) trait("eyes far ahead");
            for (const double sx : {1.0, -1.0})
                other(skull, p + Vec3(sx * 0.18 * head_, 0.5 * head_, ahead * head_), "face",
                      {"eye", side_of(sx)}, dice_.chance(0.7), 0.05 * head_);
        }
        if (dice_.chance(0.12)) {
            trait("ears");
            const double size = dice_.between(0.2, 1.0) * head_;
            const int pieces = dice_.count(1, 3);
            for (const double sx : {1.0, -1.0}) {
                int last = skull;
                for (int i = 0; i < pieces; ++i)
                    last = other(last,
                                 p + Vec3(sx * (0.35 * head_ + 0.3 * size * i / pieces),
                                          0.6 * head_ + size * i / pieces, 0),
                                 "face", {"ear", side_of(sx), i + 1}, true, 0.05 * head_);
                bones_[size_t(last)].tip = Vec3(sx * 0.1, 0.3, 0) * size;
            }
        }
        if (dice_.chance(0.16)) {
            const int strands = dice_.count(1, 3);
            const double length = dice_.between(0.5, 2.5) * head_;
            const int pieces = dice_.count(1, 6);
            trait(fmt::format("hair of {} strands", strands));
            for (int k = 0; k < strands; ++k) {
                const double x = strands == 1 ? 0.0 : 0.3 * head_ * (k - 0.5 * (strands - 1));
                int last = skull;
                for (int i = 0; i < pieces; ++i)
                    last =
                        other(last, p + Vec3(x, 0.75 * head_ - length * i / pieces, -0.3 * head_ - 0.03 * i),
                              "face", {"hair", Side::none, i + 1, std::string(1, char('a' + k))}, true,
                              0.08 * head_);
                bones_[size_t(last)].tip = Vec3(0, -length / pieces, 0);
            }
        }
    }

    void end_of(int j) {
        const Vec3 tip = bones_[size_t(j)].tip;
        if (tip.norm() < 1e-9) return;
        BoneLabel label = bones_[size_t(j)].label;
        label.text = label.part;
        label.part = "end";
        other(j, at(j) + tip, "end", label, false);
    }

    void arms(int pieces, bool is_one_bone) {
        const int clavicles = dice_.pick({0.14, 0.78, 0.08});
        const bool from_middle = dice_.chance(0.5);
        if (clavicles == 0) trait("no clavicle");
        if (clavicles == 2) trait("two clavicles");
        const double shoulder_y = hip_m_ + trunk_ - dice_.between(0.02, 0.2) * trunk_;
        const double shoulder_z = -0.015 + dice_.between(-0.03, 0.02);
        const double upper = arm_ * dice_.between(0.5, 0.59);
        const double lower = arm_ - upper;
        const bool has_rolls = pieces == 1 && dice_.chance(0.14);
        if (has_rolls) trait("roll bones");
        const Hand plan = draw_hand();
        const std::array<double, 2> lengths{uneven(), uneven()};
        for (const double sx : {1.0, -1.0}) {
            const Side side = side_of(sx);
            const double own = lengths[sx > 0 ? 0 : 1];
            const Vec3 shoulder(sx * shoulder_half_ * own, shoulder_y, shoulder_z);
            int on = arms_from_;
            if (clavicles > 0) {
                Vec3 start(sx * (from_middle ? 0.12 : 0.35) * shoulder_half_,
                           shoulder_y + dice_.between(-0.01, 0.01), 0.01);
                on = add(on, start, sided("clavicle", sx), {"clavicle", side}, 0.4 * shoulder_half_);
                if (clavicles == 2) {
                    on = other(on, start + 0.6 * (shoulder - start) + Vec3(0, 0.01, -0.01), "helper",
                               {"clavicle", side, 2}, true, 0.35 * shoulder_half_);
                    also_[sided("clavicle", sx)].push_back(on);
                    bones_[size_t(on) - 1].label.number = 1;
                }
            }
            const Vec3 elbow = shoulder + Vec3(sx * upper * own, 0, 0);
            const Vec3 wrist = elbow + Vec3(sx * lower * own, 0, 0);
            const double thick = std::max(0.012, 0.11 * arm_);
            const int upperarm = add(on, shoulder, sided("upperarm", sx), {"upperarm", side}, thick);
            if (is_one_bone) {
                bones_[size_t(upperarm)].tip = wrist - shoulder;
                continue;
            }
            int last = segments(upperarm, shoulder, elbow, pieces, {"upperarm", side}, thick);
            if (has_rolls)
                other(upperarm, 0.5 * (shoulder + elbow), "twist", {"twist", side, -1, "upperarm"}, true,
                      thick);
            const int forearm = add(last, elbow, sided("forearm", sx), {"forearm", side}, 0.8 * thick);
            last = segments(forearm, elbow, wrist, pieces, {"forearm", side}, 0.8 * thick);
            if (has_rolls)
                other(forearm, elbow + 0.6 * (wrist - elbow), "twist", {"twist", side, -1, "forearm"}, true,
                      thick);
            const int hand = add(last, wrist, sided("hand", sx), {"hand", side}, 0.25 * hand_);
            fingers(plan, hand, wrist, sx);
        }
    }

    struct Hand {
        int fingers = 4;  ///< beside the thumb
        bool has_thumb = true;
        int links = 3, thumb_links = 3;
        int palm = 0;      ///< 0 none, 1 one for all, 2 one a finger
        int thumb_on = 0;  ///< 0 wrist, 1 the palm bone, 2 the index's
        bool is_first_split = false;
        double spread = 0.4;
        double curl = 0;
    };
    Hand draw_hand() {
        Hand hand;
        const int kind = dice_.pick({0.22, 0.06, 0.06, 0.06, 0.12, 0.48});
        hand.fingers = std::array<int, 6>{0, 0, 1, 2, 3, 4}[size_t(kind)];
        hand.has_thumb = kind >= 1;
        if (kind == 1) hand.has_thumb = false;
        hand.links = dice_.pick({0.05, 0.2, 0.75}) + 1;
        hand.thumb_links = std::min(hand.links, dice_.pick({0.0, 0.3, 0.7}) + 1);
        hand.is_first_split = hand.links == 3 && dice_.chance(0.1);
        if (hand.fingers >= 2) hand.palm = dice_.pick({0.62, 0.13, 0.25});
        hand.thumb_on =
            hand.palm == 0 ? 0 : dice_.pick({0.5, hand.palm == 1 ? 0.5 : 0.0, hand.palm == 2 ? 0.5 : 0.0});
        hand.spread = dice_.between(0.3, 0.5);
        hand.curl = dice_.chance(0.4) ? 0.0 : dice_.between(3, 25);
        if (hand.fingers == 0)
            trait("no fingers");
        else
            trait(fmt::format("{} fingers of {}{}{}", hand.fingers, hand.links,
                              hand.is_first_split ? ", the first split" : "",
                              hand.palm == 1   ? ", one palm bone"
                              : hand.palm == 2 ? ", palm bones"
                                               : ""));
        if (hand.thumb_on == 2) trait("thumb on the index's palm bone");
        return hand;
    }

    void fingers(const Hand& plan, int hand, Vec3 wrist, double sx) {
        static const std::array<std::string, 5> words{"thumb", "index", "middle", "ring", "little"};
        const Side side = side_of(sx);
        const Vec3 out(sx, 0, 0);
        const Vec3 front(0, 0, 1);
        bones_[size_t(hand)].tip = hand_ * (plan.fingers == 0 ? 0.9 : 0.5) * out;
        if (plan.fingers == 0) {
            if (has_ends_) end_of(hand);
            if (has_sites_) bones_[size_t(hand)].has_site = true;
            return;
        }
        int palm = hand;
        if (plan.palm == 1)
            palm = other(hand, wrist + 0.2 * hand_ * out, "helper", {"palm", side}, true, 0.2 * hand_);
        const double width = 0.8 * plan.spread * hand_;
        std::vector<int> which = plan.fingers == 1   ? std::vector<int>{2}
                                 : plan.fingers == 2 ? std::vector<int>{1, 2}
                                 : plan.fingers == 3 ? std::vector<int>{1, 2, 3}
                                                     : std::vector<int>{1, 2, 3, 4};
        int index_palm = palm;
        const auto chain = [&](int on, Vec3 p, const Vec3& along, int finger, int links, double reach,
                               bool is_split) {
            const std::array<double, 3> shares = links == 1   ? std::array<double, 3>{1, 0, 0}
                                                 : links == 2 ? std::array<double, 3>{0.58, 0.42, 0}
                                                              : std::array<double, 3>{0.48, 0.29, 0.23};
            const Vec3 hinge = along.cross(Vec3::UnitY()).normalized();
            double turned = 0;
            for (int i = 0; i < links; ++i) {
                const Vec3 d = exp_rotation(-deg_to_rad(turned) * hinge) * along;
                const double length = reach * shares[size_t(i)];
                BoneLabel label{words[size_t(finger)], side, i + 1};
                label.is_finger = true;
                label.finger = finger;
                on = add(on, p, sided(fmt::format("{}.{}", words[size_t(finger)], i + 1), sx), label,
                         0.09 * hand_);
                if (is_split && i == 0) on = segments(on, p, p + length * d, 2, label, 0.09 * hand_);
                p += length * d;
                bones_[size_t(on)].tip = length * d;
                turned += plan.curl;
            }
            if (has_ends_) end_of(on);
            if (has_sites_) bones_[size_t(on)].has_site = true;
        };
        for (size_t k = 0; k < which.size(); ++k) {
            const int finger = which[k];
            const double across = which.size() == 1 ? 0.0 : 0.5 - double(k) / double(which.size() - 1);
            static constexpr std::array<double, 5> knuckle{0, 0.47, 0.48, 0.45, 0.41},
                reach{0, 0.46, 0.52, 0.48, 0.38};
            const Vec3 base = wrist + hand_ * knuckle[size_t(finger)] * out + across * width * front;
            const Vec3 along = (out + 0.18 * across * front).normalized();
            int on = palm;
            if (plan.palm == 2) {
                BoneLabel label{"metacarpal", side, -1, words[size_t(finger)]};
                label.is_finger = true;
                label.finger = finger;
                on = add(hand, wrist + 0.12 * hand_ * out + 0.6 * across * width * front,
                         sided(words[size_t(finger)] + ".palm", sx), label, 0.12 * hand_);
                if (finger == 1) index_palm = on;
            }
            chain(on, base, along, finger, plan.links, reach[size_t(finger)] * hand_, plan.is_first_split);
        }
        if (plan.has_thumb) {
            const int on = plan.thumb_on == 0 ? hand : plan.thumb_on == 1 ? palm : index_palm;
            const double angle = deg_to_rad(dice_.between(25, 55));
            const Vec3 along =
                (std::cos(angle) * out + std::sin(angle) * front - 0.25 * Vec3::UnitY()).normalized();
            chain(on, wrist + hand_ * (0.14 * out + 0.22 * front - 0.04 * Vec3::UnitY()), along, 0,
                  plan.thumb_links, 0.5 * hand_, plan.is_first_split && dice_.chance(0.5));
        }
    }

    void legs(int pieces, bool is_one_bone) {
        const bool is_bird = plan_ == "bird-legged";
        const double thigh = leg_ * (is_bird ? dice_.between(0.3, 0.4) : dice_.between(0.46, 0.54));
        const double shin = is_bird ? leg_ * dice_.between(0.36, 0.42) : leg_ - thigh;
        const double y = ankle();
        const int foot_kind =
            dice_.pick({0.62, 0.18, 0.08, 0.06, 0.06});  // toe, none, heel and toe, toe in two, five toes
        const bool has_two_ankles = !is_bird && pieces == 1 && dice_.chance(0.04);
        const int straps = dice_.chance(0.06) ? 1 : 0;
        static constexpr std::array<const char*, 5> feet{"", "no toe", "heel bone", "toe in two",
                                                         "five toes"};
        if (foot_kind > 0) trait(feet[size_t(foot_kind)]);
        if (has_two_ankles) trait("two ankles");
        const bool is_flat = foot_kind == 1 && !has_skin_ && !has_ends_ && !has_sites_;
        const std::array<double, 2> lengths{uneven(), uneven()};
        for (const double sx : {1.0, -1.0}) {
            const Side side = side_of(sx);
            const double own = lengths[sx > 0 ? 0 : 1];
            const Vec3 hip(sx * hip_half_, hip_m_, 0);
            int on = legs_from_;
            if (on == -2)
                on = other(joint("hips"), Vec3(sx * stub_width_, hip_m_ + stub_lift_, 0), "helper",
                           {"hipbone", side}, dice_.chance(0.5), hip_half_);
            const double thick = std::max(0.02, 0.13 * leg_);
            const int thigh_j = add(on, hip, sided("thigh", sx), {"thigh", side}, thick);
            Vec3 knee = hip - Vec3(0, thigh * own, 0);
            Vec3 heel = knee - Vec3(0, shin * own, 0);
            if (is_one_bone) {
                bones_[size_t(thigh_j)].tip = Vec3(0, -leg_, 0);
                continue;
            }
            int last = segments(thigh_j, hip, knee, pieces, {"thigh", side}, thick);
            const int shin_j = add(last, knee, sided("shin", sx), {"shin", side}, 0.8 * thick);
            last = segments(shin_j, knee, heel, pieces, {"shin", side}, 0.8 * thick);
            if (has_two_ankles)
                last =
                    other(last, heel + Vec3(0, 0.06 * leg_, 0), "helper", {"ankle", side}, true, 0.5 * thick);
            const int foot = add(last, heel, sided("foot", sx), {"foot", side}, 0.2 * foot_);
            const Vec3 ball = is_bird ? heel - Vec3(0, leg_ - thigh - shin, -0.0)
                                      : Vec3(heel.x(), 0.4 * y, heel.z() + 0.6 * foot_);
            bones_[size_t(foot)].tip = ball - heel;
            if (straps)
                other(thigh_j, hip + Vec3(sx * 0.05, -0.3 * thigh, 0), "helper", {"strap", side}, true);
            if (foot_kind == 1 && !is_bird) {
                bones_[size_t(foot)].tip = Vec3(0, -0.6 * y, 0.8 * foot_);
                if (has_ends_) end_of(foot);
                if (has_sites_) bones_[size_t(foot)].has_site = true;
                continue;
            }
            if (foot_kind == 2)
                other(foot, Vec3(heel.x(), 0.1 * y, heel.z() - 0.25 * foot_), "helper", {"heel", side},
                      dice_.chance(0.5), 0.1 * foot_);
            const int toe = add(foot, ball, sided("toe", sx), {"toe", side}, 0.15 * foot_);
            bones_[size_t(toe)].tip = Vec3(0, -0.1 * y, 0.35 * foot_);
            if (foot_kind == 3)
                bones_[size_t(other(toe, ball + Vec3(0, 0, 0.15 * foot_), "helper", {"toe", side, 2}, true,
                                    0.1 * foot_))]
                    .tip = Vec3(0, 0, 0.2 * foot_);
            if (foot_kind == 4) {
                for (int k = 0; k < 5; ++k)
                    bones_[size_t(other(toe, ball + Vec3(sx * 0.07 * foot_ * (2 - k), 0, 0.04 * foot_),
                                        "helper", {"toedigit", side, k + 1}, true, 0.05 * foot_))]
                        .tip = Vec3(0, 0, 0.25 * foot_);
            } else if (foot_kind != 3) {
                if (has_ends_) end_of(toe);
                if (has_sites_) bones_[size_t(toe)].has_site = true;
            }
        }
        if (is_flat || is_one_bone) is_facing_known_ = false;
    }

    void tail(int on, Vec3 from, int count) {
        const double length = dice_.between(0.2, 0.9) * hip_m_;
        const double droop = dice_.between(-0.2, 1.2);
        trait(fmt::format("tail of {}", count));
        int last = on;
        for (int i = 0; i < count; ++i) {
            const double u = double(i) / count;
            last = add(last, from + Vec3(0, 0.02 - droop * u * length * 0.7, -0.04 - u * length),
                       fmt::format("tail.{}", i + 1), {"tail", Side::none, i + 1}, 0.03);
        }
        bones_[size_t(last)].tip = Vec3(0, -0.3 * droop * length / count, -length / count);
        if (has_ends_) end_of(last);
    }

    void pose() {
        const int rest = dice_.pick({0.24, 0.26, 0.12, 0.06, 0.08, 0.08, 0.06, 0.05, 0.05});
        static constexpr std::array<const char*, 9> rests{
            "T", "A", "arms down", "arms forward", "crouched", "hunched", "uneven", "sitting", "mid-stride"};
        trait(fmt::format("rest {}", rests[size_t(rest)]));
        const bool is_bent = rest != 0 || dice_.chance(0.3);
        const double drop = rest == 0   ? dice_.between(-3, 5)
                            : rest == 2 ? dice_.between(72, 86)
                            : rest == 3 ? 10
                                        : dice_.between(35, 60);
        const double elbow = is_bent ? dice_.between(0.5, 25) : 0;
        const double wrist = is_bent ? dice_.between(-10, 10) : 0;
        for (const double sx : {1.0, -1.0}) {
            const double own_drop = rest == 6 ? dice_.between(-70, 85) : drop;
            turn(joint(sided("upperarm", sx)), Vec3::UnitZ(), -sx * own_drop);
            if (rest == 3) turn(joint(sided("upperarm", sx)), Vec3::UnitY(), -sx * 80);
            // An elbow bends forward when the arm is level, and stays so as it hangs.
            const double own_elbow = rest == 6 ? elbow + dice_.between(0, 40) : elbow;
            if (own_elbow > 0) turn(joint(sided("forearm", sx)), Vec3::UnitY(), -sx * own_elbow);
            if (wrist != 0) turn(joint(sided("hand", sx)), Vec3::UnitZ(), sx * wrist);
        }
        double hip = 0, knee = 0, ankle_turn = 0;
        if (plan_ == "bird-legged") {
            hip = dice_.between(20, 40);
            knee = hip + dice_.between(35, 55);
            ankle_turn = knee - hip + dice_.between(5, 25);  // so that the long foot leans back to ahead
        } else if (rest == 4) {
            hip = dice_.between(30, 70);
            knee = dice_.between(1.6, 2.0) * hip;
        } else if (rest == 7) {
            hip = knee = dice_.between(75, 95);
        } else if (dice_.chance(0.5)) {
            hip = dice_.between(0.5, 8);
            knee = 2 * hip;
        }
        for (const double sx : {1.0, -1.0}) {
            const double own = rest == 8 ? sx * dice_.between(15, 35) : 0.0;
            const double own_knee = rest == 8 ? (sx < 0 ? dice_.between(20, 60) : 10) : 0.0;
            const double splay = dice_.between(-2, 8);
            turn(joint(sided("thigh", sx)), Vec3::UnitX(), -hip - own);
            turn(joint(sided("thigh", sx)), Vec3::UnitZ(), sx * splay);
            turn(joint(sided("shin", sx)), Vec3::UnitX(), knee + own_knee);
            if (plan_ == "bird-legged") {
                turn(joint(sided("foot", sx)), Vec3::UnitX(), -ankle_turn - dice_.between(0, 10));
                turn(joint(sided("toe", sx)), Vec3::UnitX(), hip - knee + ankle_turn);
            } else {
                turn(joint(sided("foot", sx)), Vec3::UnitX(), hip + own - knee - own_knee);
            }
        }
        if (rest == 5) {
            const double bend = dice_.between(20, 50);
            std::vector<int> spine;
            for (int i = 1; i <= 8; ++i)
                if (const int j = joint(fmt::format("spine.{}", i)); j >= 0 && !is_below(j, joint("hips")))
                    spine.push_back(j);
            spine.push_back(chest_);
            for (const int j : spine) turn(j, Vec3::UnitX(), bend / double(spine.size()));
            turn(joint("head"), Vec3::UnitX(), -0.7 * bend);
            // Arms hang from a bent back as from a straight one.
            for (const double sx : {1.0, -1.0}) turn(joint(sided("upperarm", sx)), Vec3::UnitX(), -bend);
        } else if (rest == 4) {
            turn(joint("spine.1") >= 0 && !is_below(joint("spine.1"), joint("hips")) ? joint("spine.1")
                                                                                     : chest_,
                 Vec3::UnitX(), dice_.between(5, 25));
        }
        // Feet, knees out of the line of hip and ankle, elbows out of the line of shoulder and wrist.
        const auto out_of_line = [&](const char* start, const char* mid, const char* end) {
            const int a = joint(std::string(start) + ".left");
            const int b = joint(std::string(mid) + ".left");
            const int c = joint(std::string(end) + ".left");
            if (a < 0 || b < 0 || c < 0 || (at(c) - at(a)).norm() < 1e-9) return 0.0;
            const Vec3 line = (at(c) - at(a)).normalized();
            const Vec3 out = at(b) - at(a) - line * line.dot(at(b) - at(a));
            return std::abs(out.z()) / (at(c) - at(a)).norm();
        };
        if (joint("toe.left") >= 0 || out_of_line("thigh", "shin", "foot") > 0.03 ||
            out_of_line("upperarm", "forearm", "hand") > 0.03)
            is_facing_known_ = true;
    }

    /// A body on four legs, facing +Z.
    void four_legged() {
        hip_m_ = dice_.between(0.42, 0.62);
        leg_ = hip_m_;
        const double length = dice_.between(0.5, 1.1);
        const Vec3 rump(0, hip_m_ + 0.03, 0);
        trunk_ = length;
        head_ = dice_.between(0.12, 0.25);
        hip_half_ = dice_.between(0.06, 0.1);
        hand_ = 0.1;
        foot_ = 0.1;
        const double rise = dice_.between(-0.08, 0.08);
        const int top = roots(rump);
        const int hips = add(top, rump, "hips", {"hips"}, 0.12);
        const int spine_count = dice_.count(0, 5);
        int last = hips;
        for (int i = 0; i < spine_count; ++i) {
            const double u = 0.75 * (i + 0.6) / (spine_count + 0.6);
            last = add(last, rump + Vec3(0, rise * u, length * u), fmt::format("spine.{}", i + 1),
                       {"spine", Side::none, i + 1}, 0.13);
        }
        const Vec3 withers = rump + Vec3(0, rise, 0.78 * length);
        chest_ = last = add(last, withers, "chest", {"chest", Side::none, spine_count + 1}, 0.14);
        const int necks = dice_.count(1, 4);
        const double neck = dice_.between(0.15, 0.5);
        const double up = deg_to_rad(dice_.between(10, 70));
        const Vec3 along(0, std::sin(up), std::cos(up));
        const Vec3 throat = rump + Vec3(0, rise, length);
        for (int i = 0; i < necks; ++i)
            last = add(last, throat + along * neck * i / necks, fmt::format("neck.{}", i + 1),
                       {"neck", Side::none, necks > 1 ? i + 1 : -1}, 0.07);
        const Vec3 skull_p = throat + along * neck;
        const int skull = add(last, skull_p, "head", {"head"}, 0.08);
        bones_[size_t(skull)].tip = Vec3(0, -0.1 * head_, head_);
        if (has_ends_) end_of(skull);
        if (has_sites_) bones_[size_t(skull)].has_site = true;
        if (dice_.chance(0.5))
            other(skull, skull_p + Vec3(0, -0.02, 0.3 * head_), "face", {"jaw"}, true, 0.04);
        if (dice_.chance(0.6))
            for (const double sx : {1.0, -1.0}) {
                const int ear = other(skull, skull_p + Vec3(sx * 0.04, 0.06, 0), "face", {"ear", side_of(sx)},
                                      true, 0.02);
                bones_[size_t(ear)].tip = Vec3(sx * 0.02, 0.07, 0);
            }
        const int blades = dice_.chance(0.75) ? 1 : 0;
        const bool has_paw = dice_.chance(0.75);
        const double hind_turn = dice_.between(15, 40);
        const double stride = dice_.chance(0.3) ? dice_.between(5, 25) : 0.0;
        trait(fmt::format("{}{}{}", blades ? "" : "no shoulder blade ", has_paw ? "" : "no paws ",
                          stride > 0 ? "mid-stride" : ""));
        for (const double sx : {1.0, -1.0}) {
            const Side side = side_of(sx);
            int on = chest_;
            const Vec3 point = withers + Vec3(sx * hip_half_, -0.14 * leg_, 0.1 * leg_);
            if (blades)
                on = add(on, withers + Vec3(sx * 0.7 * hip_half_, 0.06 * leg_, 0), sided("clavicle", sx),
                         {"clavicle", side}, 0.06);
            const double height = point.y();
            const int upperarm = add(on, point, sided("upperarm", sx), {"upperarm", side}, 0.06);
            const Vec3 elbow = point + Vec3(0, -0.33 * height, -0.12 * height);
            const int forearm = add(upperarm, elbow, sided("forearm", sx), {"forearm", side}, 0.05);
            const Vec3 wrist = elbow + Vec3(0, -0.42 * height, 0.03 * height);
            const int hand = add(forearm, wrist, sided("hand", sx), {"hand", side}, 0.04);
            const Vec3 pad = wrist + Vec3(0, -0.2 * height, 0.05 * height);
            bones_[size_t(hand)].tip = pad - wrist;
            if (has_paw) {
                const int paw = add(hand, pad, sided("paw", sx), {"paw", side}, 0.04);
                bones_[size_t(paw)].tip = Vec3(0, -0.02, 0.07);
                if (has_ends_) end_of(paw);
            }
            const Vec3 hip = rump + Vec3(sx * hip_half_, -0.03, -0.02);
            const int thigh = add(hips, hip, sided("thigh", sx), {"thigh", side}, 0.09);
            const Vec3 d1 = exp_rotation(-deg_to_rad(hind_turn) * Vec3::UnitX()) * Vec3(0, -1, 0);
            const Vec3 d2 = exp_rotation(deg_to_rad(hind_turn + 10) * Vec3::UnitX()) * Vec3(0, -1, 0);
            const Vec3 knee = hip + 0.36 * hip.y() * d1;
            const int shin = add(thigh, knee, sided("shin", sx), {"shin", side}, 0.06);
            const Vec3 hock = knee + 0.4 * hip.y() * d2;
            const int foot = add(shin, hock, sided("foot", sx), {"foot", side}, 0.04);
            const Vec3 ball(hock.x(), 0.03, hock.z() + 0.02);
            bones_[size_t(foot)].tip = ball - hock;
            if (has_paw) {
                const int toe = add(foot, ball, sided("toe", sx), {"toe", side}, 0.04);
                bones_[size_t(toe)].tip = Vec3(0, -0.02, 0.08);
                if (has_ends_) end_of(toe);
            }
            turn(upperarm, Vec3::UnitX(), sx * stride);
            turn(thigh, Vec3::UnitX(), -sx * stride);
        }
        if (dice_.chance(0.8)) tail(hips, rump + Vec3(0, 0.02, -0.08), dice_.count(1, 8));
    }

    /// What other makers hang about a body.
    void extras() {
        const int hips = joint("hips");
        if (plan_ != "quadruped") {
            if (dice_.chance(0.1)) {
                const int pieces = dice_.count(1, 4);
                const int strips = dice_.count(1, 3);
                trait("skirt");
                for (int k = 0; k < strips; ++k)
                    for (const double sx : {1.0, -1.0}) {
                        int last = hips;
                        const double angle = pi * (k + 0.5) / strips;
                        for (int i = 0; i < pieces; ++i)
                            last =
                                other(last,
                                      at(hips) + Vec3(sx * 1.6 * hip_half_ * std::sin(angle),
                                                      -0.02 - 0.5 * leg_ * i / pieces,
                                                      1.4 * hip_half_ * std::cos(angle)),
                                      "helper", {"skirt", side_of(sx), i + 1, std::string(1, char('a' + k))},
                                      true, 0.05);
                        bones_[size_t(last)].tip = Vec3(0, -0.5 * leg_ / pieces, 0);
                    }
            }
            if (dice_.chance(0.06)) {
                const int pieces = dice_.count(2, 5);
                trait("cape");
                int last = chest_;
                for (int i = 0; i < pieces; ++i)
                    last = other(
                        last, at(chest_) + Vec3(0, 0.1 * trunk_ - (trunk_ + 0.3 * leg_) * i / pieces, -0.1),
                        "helper", {"cape", Side::none, i + 1}, true, 0.08);
                bones_[size_t(last)].tip = Vec3(0, -0.1, 0);
            }
            if (dice_.chance(0.06)) {
                trait("wings");
                const int pieces = dice_.count(2, 4);
                const double span = dice_.between(0.3, 0.9);
                for (const double sx : {1.0, -1.0}) {
                    int last = chest_;
                    for (int i = 0; i < pieces; ++i)
                        last = other(
                            last,
                            at(chest_) + Vec3(sx * (0.04 + span * i / pieces), 0.1 + 0.2 * span * i / pieces,
                                              -0.1 - 0.15 * span * i / pieces),
                            "helper", {"wing", side_of(sx), i + 1}, true, 0.03);
                    bones_[size_t(last)].tip = Vec3(sx * span / pieces, 0, 0);
                }
            }
            if (dice_.chance(0.08))
                for (const double sx : {1.0, -1.0})
                    other(chest_, at(chest_) + Vec3(sx * 0.4 * shoulder_half_, 0.3 * trunk_ * 0.3, 0.09),
                          "helper", {"bust", side_of(sx)}, true, 0.04);
            for (const auto* side : {".left", ".right"})
                if (const int hand = joint(std::string("hand") + side); hand >= 0 && dice_.chance(0.09)) {
                    trait("weapon");
                    const int pieces = dice_.count(1, 3);
                    const double length = dice_.between(0.3, 1.4) * arm_;
                    const bool is_skinned = dice_.chance(0.5);
                    int last = hand;
                    for (int i = 0; i < pieces; ++i)
                        last = other(
                            last, at(hand) + Vec3(0, 0.05 * hand_, 0.15 * hand_ + length * i / pieces),
                            "prop", {"weapon", role_side(side), pieces > 1 ? i + 1 : -1}, is_skinned, 0.02);
                    if (pieces == 1 || dice_.chance(0.5))
                        other(last, at(last) + Vec3(0, 0, length / pieces), "prop",
                              {"weapontip", role_side(side)}, false);
                }
        }
        if (!dice_.chance(0.14)) return;
        // The animator's controls beside the deforming bones.
        const int on = floor_root_ >= 0 ? floor_root_ : hips;
        trait("goal and pole bones");
        const bool are_hands_on_goals = plan_ == "biped" && dice_.chance(0.25) && joint("index.1.left") >= 0;
        for (const auto* side : {".left", ".right"}) {
            const Side own = role_side(side);
            for (const auto* part : {"hand", "foot"})
                if (const int tip = joint(std::string(part) + side); tip >= 0) {
                    const int goal = other(on, at(tip), "control", {"goal", own, -1, part}, false);
                    if (are_hands_on_goals && std::string(part) == "hand") {
                        // The deforming hand hangs on the goal; what ends the forearm is an empty bone.
                        bones_[size_t(goal)].deforms = true;
                        bones_[size_t(goal)].radius = bones_[size_t(tip)].radius;
                        for (Bone& bone : bones_)
                            if (bone.parent == tip) bone.parent = goal;
                        bones_[size_t(tip)].deforms = false;
                        also_[std::string("hand") + side].push_back(goal);
                    }
                }
            for (const auto& [part, ahead] : {std::pair{"shin", 0.4}, std::pair{"forearm", -0.3}})
                if (const int mid = joint(std::string(part) + side); mid >= 0)
                    other(on, at(mid) + Vec3(0, 0, ahead), "control", {"pole", own, -1, part}, false);
        }
        if (are_hands_on_goals) trait("hands hang on their goals");
    }

    Stranger finish();
    std::vector<Mesh> skin(const Skeleton& skeleton, const std::vector<int>& bone_of,
                           const std::vector<int>& joint_of, const Quat& R, double scale);
};

/// Rings about each deforming bone; near its start the bone before has its share.
std::vector<Mesh> Grammar::skin(const Skeleton& skeleton, const std::vector<int>& bone_of,
                                const std::vector<int>& joint_of, const Quat& R, double scale) {
    const Pose pose = rest_pose(skeleton);
    Mesh mesh;
    mesh.name = "body";
    std::vector<int> slot(bones_.size(), -1);
    for (size_t j = 0; j < bone_of.size(); ++j) {
        slot[size_t(bone_of[j])] = int(j);
        MeshJoint joint;
        joint.joint = int(j);
        joint.attach.setIdentity();
        joint.attach.topLeftCorner<3, 3>() = pose.R[j].conjugate().toRotationMatrix();
        joint.attach.topRightCorner<3, 1>() = -(pose.R[j].conjugate() * pose.p[j]);
        mesh.palette.push_back(joint);
    }
    for (size_t b = 0; b < bones_.size(); ++b) {
        const Bone& bone = bones_[b];
        if (!bone.deforms) continue;
        std::vector<std::pair<Vec3, int>> ways;
        for (size_t c = 0; c < bones_.size(); ++c)
            if (bones_[c].parent == int(b) && !bones_[c].role.empty())
                ways.emplace_back(bones_[c].p - bone.p, int(c));
        if (ways.empty())
            for (size_t c = 0; c < bones_.size(); ++c)
                if (bones_[c].parent == int(b) && bones_[c].deforms)
                    ways.emplace_back(bones_[c].p - bone.p, int(c));
        if (ways.empty()) ways.emplace_back(bone.tip.norm() > 1e-9 ? bone.tip : Vec3(0, bone.radius, 0), -1);
        for (const auto& [way, next] : ways) {
            if (way.norm() < 1e-6) continue;
            const Vec3 side = way.normalized().unitOrthogonal();
            for (const double u : {0.05, 0.35, 0.65, 0.95})
                for (int k = 0; k < 5; ++k) {
                    const Vec3 p = bone.p + u * way +
                                   exp_rotation(2 * pi * k / 5.0 * way.normalized()) * side * bone.radius;
                    mesh.positions.push_back((scale * (R * p)).cast<float>());
                    VertexSkin v;
                    const int parent = bone.parent;
                    const bool has_parent = parent >= 0 && bones_[size_t(parent)].deforms;
                    const bool has_next = next >= 0 && bones_[size_t(next)].deforms;
                    const double before = has_parent ? std::max(0.0, 0.5 - 1.6 * u) : 0.0;
                    const double after = has_next ? std::max(0.0, 1.6 * (u - 0.7)) : 0.0;
                    v.palette[0] = std::uint16_t(joint_of[b]);
                    v.weight[0] = float(1.0 - before - after);
                    if (has_parent) v.palette[1] = std::uint16_t(joint_of[size_t(parent)]);
                    v.weight[1] = float(before);
                    if (has_next) v.palette[2] = std::uint16_t(joint_of[size_t(next)]);
                    v.weight[2] = float(after);
                    mesh.skin.push_back(v);
                }
        }
    }
    mesh.normals.assign(mesh.positions.size(), Eigen::Vector3f::UnitY());
    return {mesh};
}

Stranger Grammar::finish() {
    // Siblings in any order, parents first.
    std::vector<std::vector<int>> children(bones_.size() + 1);
    for (size_t b = 0; b < bones_.size(); ++b) children[size_t(bones_[b].parent + 1)].push_back(int(b));
    std::vector<int> bone_of;
    std::vector<int> open{-1};
    while (!open.empty()) {
        const int b = open.back();
        open.pop_back();
        if (b >= 0) bone_of.push_back(b);
        auto& own = children[size_t(b + 1)];
        for (size_t i = own.size(); i > 1; --i)
            std::swap(own[i - 1], own[size_t(dice_.count(0, int(i) - 1))]);
        open.insert(open.end(), own.begin(), own.end());
    }
    std::vector<int> joint_of(bones_.size(), -1);
    for (size_t j = 0; j < bone_of.size(); ++j) joint_of[size_t(bone_of[j])] = int(j);

    Stranger stranger;
    stranger.seed = seed_;
    stranger.plan = plan_;
    stranger.is_facing_known = is_facing_known_;
    const double stature = dice_.between(0.5, 2.6);
    const double scale = stature * std::array<double, 4>{1.0, 1.0, 100.0, 39.37}[size_t(dice_.count(0, 3))];
    // The file's own axes: usually +Y up and facing +Z, but any.
    Quat R = Quat::Identity();
    const int axes = dice_.pick({0.6, 0.15, 0.15, 0.1});
    if (axes == 1) R = exp_rotation(0.5 * pi * Vec3::UnitX());
    if (axes == 2) R = exp_rotation(pi * Vec3::UnitY());
    if (axes == 3) R = exp_rotation(0.5 * pi * Vec3::UnitX()) * exp_rotation(0.5 * pi * Vec3::UnitY());
    const bool has_own_axes = dice_.chance(0.5);
    Skeleton& s = stranger.skeleton;
    std::vector<Quat> R_W;
    NameMaker maker(seed_, names_);
    for (size_t j = 0; j < bone_of.size(); ++j) {
        const Bone& bone = bones_[size_t(bone_of[j])];
        const int parent = bone.parent < 0 ? -1 : joint_of[size_t(bone.parent)];
        const Quat own =
            has_own_axes
                ? exp_rotation(Vec3(dice_.between(-2, 2), dice_.between(-2, 2), dice_.between(-2, 2)))
                : Quat::Identity();
        R_W.push_back(own);
        s.parents.push_back(parent);
        s.names.push_back(maker.name(bone.label, int(j)));
        const Vec3 p = scale * (R * bone.p);
        if (parent < 0) {
            s.rest_R.push_back(own);
            s.rest_p.push_back(p);
        } else {
            const Vec3 above = scale * (R * bones_[size_t(bone.parent)].p);
            s.rest_R.push_back(R_W[size_t(parent)].conjugate() * own);
            s.rest_p.push_back(R_W[size_t(parent)].conjugate() * (p - above));
        }
        if (bone.has_site) s.end_sites.push_back({int(j), own.conjugate() * (scale * (R * bone.tip))});
        if (!bone.role.empty())
            stranger.joint_of_role[bone.role] = int(j);
        else
            stranger.tray[int(j)] = bone.tray;
    }
    for (const auto& [role, bones] : also_)
        for (const int b : bones) stranger.also[role].insert(joint_of[size_t(b)]);
    if (has_skin_) {
        trait("skinned");
        stranger.meshes = skin(s, bone_of, joint_of, R, scale);
    }
    if (names_ != StrangerNames::off) trait("names " + maker.style());
    stranger.what = plan_;
    for (const auto& text : traits_)
        if (!text.empty()) stranger.what += ", " + text;
    return stranger;
}

}  // namespace

Stranger make_stranger(std::uint64_t seed, StrangerNames names) {
    return Grammar(seed, names).make();
}

bool is_right(const Stranger& stranger, const std::string& role, int joint) {
    if (joint < 0) return false;
    const std::string part = role_part(role);
    if (const auto at = stranger.joint_of_role.find(role);
        at != stranger.joint_of_role.end() && at->second == joint)
        return true;
    if (const auto at = stranger.also.find(role); at != stranger.also.end() && at->second.contains(joint))
        return true;
    if (part != "spine" && part != "neck") return false;
    return std::any_of(stranger.joint_of_role.begin(), stranger.joint_of_role.end(), [&](const auto& known) {
        return known.second == joint && role_part(known.first) == part;
    });
}

}  // namespace nb::test
