#include "core/touchup/apply.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/body/carried.hpp"
#include "core/body/hops.hpp"
#include "core/body/lines.hpp"
#include "core/math/hermite.hpp"
#include "core/math/mean.hpp"
#include "core/math/two_bones.hpp"
#include "core/touchup/calm.hpp"
#include "core/touchup/hand_pose.hpp"
#include "core/touchup/loop.hpp"
#include "core/touchup/pace.hpp"
#include "core/touchup/straight.hpp"
#include "core/touchup/turn.hpp"

namespace nb {

namespace {

constexpr std::string_view outside_the_take = "its span lies outside the take";
constexpr double slow_course_hz = 0.5;  // of what swings under damp

/// Joints of a role, a limb or a chain ("arm.left", "spine"), and of its other side when that is asked.
std::vector<int> joints_of(const Character& body, const TouchUp& touch) {
    std::vector<int> joints;
    const auto add = [&](const std::string& what) {
        if (const int joint = body.roles.joint(what); joint >= 0) joints.push_back(joint);
        if (const ChainPlan* chain = body_plan(body.roles.plan).chain(what))
            for (const std::string& role : chain->roles)
                if (const int joint = body.roles.joint(role); joint >= 0) joints.push_back(joint);
    };
    add(touch.what);
    if (const std::string other = mirrored_role(touch.what); touch.has_other_side && other != touch.what)
        add(other);
    return joints;
}

/// One motion that is being touched.
class Touched {
  public:
    Touched(const Character& body, WorldMotion& motion, const MotionClock& clock)
        : body_(body), s_(body.rig.skeleton), motion_(motion), clock_(clock) {}

    /// Empty when it did something; else why not.
    std::string run(const TouchUp& touch, double layer_weight) {
        weights_ = weights_of(touch.when, layer_weight, motion_.frames, clock_.start_s, clock_.frame_time_s);
        std::fill_n(weights_.begin(), std::clamp(clock_.first_frame, 0, motion_.frames), 0.0);
        if (std::all_of(weights_.begin(), weights_.end(), [](double w) { return w <= 0.0; }))
            return std::string(outside_the_take);
        switch (touch.kind) {
            case TouchKind::turn:
                return turn(touch, layer_weight);
            case TouchKind::body:
                return move_body(touch);
            case TouchKind::hand:
                return pose(touch);
            case TouchKind::calm:
            case TouchKind::damp:
                return smooth(touch);
            case TouchKind::settle:
                return settle();
            case TouchKind::straight:
                return straight(touch);
            case TouchKind::place:
                return "a place acts before contacts: give it the stage angles";
            default:
                return fmt::format("the kind {} changes the clock: give it the stage source",
                                   touch_kind_name(touch.kind));
        }
    }

  private:
    const Character& body_;
    const Skeleton& s_;
    WorldMotion& motion_;
    const MotionClock& clock_;
    std::vector<double> weights_;

    std::span<Quat> R(int f) { return {&motion_.R[motion_.at(f, 0)], size_t(motion_.joints)}; }

    /// Calls `change(f, R)` in every frame that has a weight; places follow the turns.
    template <typename Change>
    void each_frame(const Change& change) {
        std::vector<Quat> before(size_t(motion_.joints));
        std::vector<Vec3> local(size_t(motion_.joints));
        std::vector<char> is_moved(size_t(motion_.joints));
        for (int f = 0; f < motion_.frames; ++f) {
            if (weights_[size_t(f)] <= 0.0) continue;
            const std::span<Quat> now = R(f);
            std::copy(now.begin(), now.end(), before.begin());
            const auto p = [&](int j) -> Vec3& { return motion_.p[motion_.at(f, j)]; };
            for (int j = 0; j < s_.size(); ++j)
                if (const int parent = s_.parents[size_t(j)]; parent >= 0)
                    local[size_t(j)] = before[size_t(parent)].conjugate() * (p(j) - p(parent));
            change(f, now);
            std::fill(is_moved.begin(), is_moved.end(), 0);
            for (int j = 0; j < s_.size(); ++j) {
                const int parent = s_.parents[size_t(j)];
                if (parent < 0) continue;
                is_moved[size_t(j)] = is_moved[size_t(parent)] ||
                                      now[size_t(parent)].coeffs() != before[size_t(parent)].coeffs();
                if (is_moved[size_t(j)]) p(j) = p(parent) + now[size_t(parent)] * local[size_t(j)];
            }
        }
    }

    std::string turn(const TouchUp& touch, double layer_weight) {
        const std::vector<TurnOp> ops = compile_turn(s_, body_.roles, body_.rest, touch, layer_weight);
        if (ops.empty()) return missing(touch);
        std::vector<double> yaw;
        if (touch.axes == TurnAxes::body)
            yaw = headings(motion_, lines_of(body_.roles), clock_.frame_time_s, clock_.first_frame);
        each_frame([&](int f, std::span<Quat> now) {
            const double t = clock_.start_s + f * clock_.frame_time_s;
            for (const TurnOp& op : ops) turn_frame(op, t, yaw.empty() ? 0.0 : yaw[size_t(f)], now);
        });
        return {};
    }

    /// What is carried with the body in a frame: turned about a place, and moved.
    void move_frame(const Skeleton& carried, int top, int f, const Quat& turn, const Vec3& about,
                    const Vec3& by) {
        for (int j = 0; j < s_.size(); ++j) {
            if (!carried.is_ancestor(top, j)) continue;
            Quat& R_j = motion_.R[motion_.at(f, j)];
            Vec3& p_j = motion_.p[motion_.at(f, j)];
            R_j = (turn * R_j).normalized();
            p_j = about + turn * (p_j - about) + by;
        }
    }

    /// The whole body: turned about the upright through its hips where the touch-up begins, and moved.
    std::string move_body(const TouchUp& touch) {
        const Skeleton carried = carried_skeleton(s_, body_.roles);
        const int top = body_top(carried, body_.roles);
        if (top < 0) return "the body has no hips to be moved by";
        const auto begins = std::find_if(weights_.begin(), weights_.end(), [](double w) { return w > 0.0; });
        const int first = int(begins - weights_.begin());
        Vec3 about = motion_.p[motion_.at(first, top)];
        about.y() = 0.0;
        const double yaw = touch.axes == TurnAxes::body
                               ? headings(motion_, lines_of(body_.roles), clock_.frame_time_s,
                                          clock_.first_frame)[size_t(first)]
                               : 0.0;
        const Vec3 by = exp_rotation(yaw * Vec3::UnitY()) * touch.place_m;
        const WorldMotion before = touch.ends_stay ? motion_ : WorldMotion();
        for (int f = 0; f < motion_.frames; ++f) {
            const double w = weights_[size_t(f)];
            if (w <= 0.0) continue;
            const Quat heading = exp_rotation(w * touch.turn_rad.y() * Vec3::UnitY());
            move_frame(carried, top, f, heading, about, w * by);
        }
        if (touch.ends_stay) bring_ends_back(before);
        return {};
    }

    /// The way over the floor from where the touch-up begins to where it ends.
    std::string straight(const TouchUp& touch) {
        const Skeleton carried = carried_skeleton(s_, body_.roles);
        const int top = body_top(carried, body_.roles);
        if (top < 0) return "the body has no hips to be moved by";
        const auto has_weight = [](double w) { return w > 0.0; };
        const int first = int(std::find_if(weights_.begin(), weights_.end(), has_weight) - weights_.begin());
        const int last =
            int(weights_.rend() - std::find_if(weights_.rbegin(), weights_.rend(), has_weight)) - 1;
        const std::vector<Straightened> given = straighten(
            motion_, lines_of(body_.roles), clock_.frame_time_s, first, last, !touch.when.is_whole);
        if (given.empty()) return "the body goes nowhere there";
        for (int f = first; f <= last; ++f) {
            const auto& [about, turn, move] = given[size_t(f - first)];
            const double w = weights_[size_t(f)] * (1.0 - touch.keep);
            const Quat heading = exp_rotation(w * turn * Vec3::UnitY());
            move_frame(carried, top, f, heading, about, w * move);
        }
        return {};
    }

    /// Hands and feet as they were in `before`, as far as their limbs reach; these bend in their own plane.
    void bring_ends_back(const WorldMotion& before) {
        std::vector<Limb> limbs = limbs_of({"thigh", "shin", "foot"});
        for (const Limb& arm : limbs_of({"upperarm", "forearm", "hand"})) limbs.push_back(arm);
        each_frame([&](int f, std::span<Quat> now) {
            for (const Limb& limb : limbs) {
                const size_t tip = before.at(f, limb.tip);
                bend_limb(limb, f, before.p[tip] - motion_.p[motion_.at(f, limb.tip)], now);
                for (int j = limb.tip; j < s_.size(); ++j)
                    if (s_.is_ancestor(limb.tip, j)) now[size_t(j)] = before.R[before.at(f, j)];
            }
        });
    }

    struct Limb {
        int start, mid, tip;
    };
    /// Of both sides, those that are whole.
    std::vector<Limb> limbs_of(const std::array<const char*, 3>& parts) const {
        std::vector<Limb> limbs;
        for (const std::string side : {".left", ".right"}) {
            const Limb limb{body_.roles.joint(parts[0] + side), body_.roles.joint(parts[1] + side),
                            body_.roles.joint(parts[2] + side)};
            if (limb.start >= 0 && limb.mid >= 0 && limb.tip >= 0) limbs.push_back(limb);
        }
        return limbs;
    }
    /// Its tip goes by so much: start and middle turn, as long as they reach; what hangs on the tip is left to the caller.
    void bend_limb(const Limb& limb, int f, const Vec3& by, std::span<Quat> now) const {
        const auto p = [&](int j) -> const Vec3& { return motion_.p[motion_.at(f, j)]; };
        const Vec3 upper = p(limb.mid) - p(limb.start);
        const Vec3 lower = p(limb.tip) - p(limb.mid);
        const Vec3 to = upper + lower + by;
        const Vec3 n = upper.cross(lower);
        if (by == Vec3::Zero() || n.norm() < 1e-9 || to.norm() < 1e-9) return;
        const TwoBoneTurns turns = bend_toward(upper, lower, n.normalized(), to, to.norm());
        now[size_t(limb.start)] = (turns.upper * now[size_t(limb.start)]).normalized();
        now[size_t(limb.mid)] = (turns.lower * now[size_t(limb.mid)]).normalized();
    }

    std::string pose(const TouchUp& touch) {
        if (!pose_of(touch)) return fmt::format("there is no hand pose '{}'", touch.pose);
        const std::vector<FingersOp> hands = compile_fingers(s_, body_.roles, body_.rest, touch, 1.0);
        if (hands.empty()) return "the body has no fingers there";
        each_frame([&](int f, std::span<Quat> now) {
            for (const FingersOp& op : hands)
                set_fingers(body_.rest, op.hand, op.fingers, weights_[size_t(f)], op.is_added, now);
        });
        return {};
    }

    /// By a share about its own slow course, or held inside a range about the middle of where it acts.
    void damp(std::vector<Quat>& curve, const TouchUp& touch) const {
        if (touch.range_rad <= 0.0)
            return damp_turns(curve, clock_.frame_time_s, touch.keep, slow_course_hz, weights_);
        std::vector<Quat> inside;
        for (size_t f = 0; f < curve.size(); ++f)
            if (weights_[f] > 0.0) inside.push_back(curve[f]);
        if (inside.empty()) return;
        const Quat middle = mean_rotation([&](int f) { return inside[size_t(f)]; }, 0, int(inside.size()));
        hold_inside(curve, middle, touch.range_rad, weights_);
    }

    /// Of each joint its turn on the bone above.
    std::string smooth(const TouchUp& touch) {
        const std::vector<int> joints = joints_of(body_, touch);
        if (joints.empty()) return missing(touch);
        std::vector<std::vector<Quat>> curves;
        for (const int j : joints) {
            const int parent = s_.parents[size_t(j)];
            std::vector<Quat>& curve = curves.emplace_back();
            for (int f = 0; f < motion_.frames; ++f) {
                const Quat& R_j = motion_.R[motion_.at(f, j)];
                curve.push_back(parent < 0 ? R_j : Quat(motion_.R[motion_.at(f, parent)].conjugate() * R_j));
            }
            // A pose of its own before the motion is no part of the curve.
            for (int f = 0; f < clock_.first_frame && f < motion_.frames; ++f)
                curve[size_t(f)] = curve[size_t(std::min(clock_.first_frame, motion_.frames - 1))];
            if (touch.kind == TouchKind::calm)
                calm_turns(curve, clock_.frame_time_s, touch.cut_off_hz, touch.keep, weights_);
            else
                damp(curve, touch);
        }
        std::vector<Quat> turned(size_t(motion_.joints));
        std::vector<int> at(size_t(motion_.joints), -1);
        std::vector<char> is_turned(size_t(motion_.joints));
        for (size_t i = 0; i < joints.size(); ++i) at[size_t(joints[i])] = int(i);
        each_frame([&](int f, std::span<Quat> now) {
            std::copy(now.begin(), now.end(), turned.begin());
            std::fill(is_turned.begin(), is_turned.end(), 0);
            for (int j = 0; j < s_.size(); ++j) {
                const int parent = s_.parents[size_t(j)];
                const bool is_carried = parent >= 0 && is_turned[size_t(parent)];
                if (at[size_t(j)] < 0 && !is_carried) continue;
                is_turned[size_t(j)] = 1;
                const Quat local = at[size_t(j)] >= 0
                                       ? curves[size_t(at[size_t(j)])][size_t(f)]
                                       : Quat(now[size_t(parent)].conjugate() * now[size_t(j)]);
                turned[size_t(j)] = parent < 0 ? local : Quat((turned[size_t(parent)] * local).normalized());
            }
            std::copy(turned.begin(), turned.end(), now.begin());
        });
        return {};
    }

    /// Hops of standing feet: the ankle goes straight from where it was to where it comes back, thigh and shin bend for
    /// it in their own plane, the foot keeps its turn.
    std::string settle() {
        const std::vector<Limb> legs = limbs_of({"thigh", "shin", "foot"});
        std::vector<std::vector<Vec3>> by(legs.size(),
                                          std::vector<Vec3>(size_t(motion_.frames), Vec3::Zero()));
        int count = 0;
        for (const Hop& hop :
             find_foot_hops(s_, body_.roles, motion_, clock_.frame_time_s, clock_.first_frame)) {
            const int foot = body_.roles.joint(hop.is_left ? "foot.left" : "foot.right");
            const size_t leg = size_t(std::ranges::find(legs, foot, &Limb::tip) - legs.begin());
            if (leg == legs.size() || weights_[size_t(hop.frame)] <= 0.0) continue;
            const auto p = [&](int f) -> const Vec3& { return motion_.p[motion_.at(f, foot)]; };
            for (int f = hop.first + 1; f < hop.last; ++f) {
                const double u = double(f - hop.first) / (hop.last - hop.first);
                const Vec3 straight = p(hop.first) + smooth_step(u) * (p(hop.last) - p(hop.first));
                by[leg][size_t(f)] = weights_[size_t(f)] * (straight - p(f));
            }
            ++count;
        }
        if (count == 0) return "no standing foot hops there";
        each_frame([&](int f, std::span<Quat> now) {
            for (size_t leg = 0; leg < legs.size(); ++leg) bend_limb(legs[leg], f, by[leg][size_t(f)], now);
        });
        return {};
    }

    std::string missing(const TouchUp& touch) const {
        return touch.kind == TouchKind::turn && body_.roles.joint(touch.what) >= 0
                   ? std::string("it turns by nothing")
                   : fmt::format("the body has no '{}'", touch.what);
    }
};

bool changes_the_clock(TouchKind kind) {
    return kind == TouchKind::loop || kind == TouchKind::pace;
}

/// The take's keys from a world motion, where that was changed.
void put_motion(const Skeleton& skeleton, const WorldMotion& before, const WorldMotion& motion, Take& take) {
    const size_t moving = take.translated.size();
    for (int f = 0; f < take.frames; ++f)
        for (int j = 0; j < take.joints; ++j) {
            const int parent = skeleton.parents[size_t(j)];
            const size_t at = motion.at(f, j);
            const auto is_same = [&](int joint) {
                const size_t i = motion.at(f, joint);
                return motion.R[i].coeffs() == before.R[i].coeffs() && motion.p[i] == before.p[i];
            };
            if (is_same(j) && (parent < 0 || is_same(parent))) continue;
            const Quat R_WP = parent < 0 ? Quat::Identity() : motion.R[motion.at(f, parent)];
            const Vec3 p_WP = parent < 0 ? Vec3(Vec3::Zero()) : motion.p[motion.at(f, parent)];
            take.R.edit()[size_t(f) * size_t(take.joints) + size_t(j)] =
                (R_WP.conjugate() * motion.R[at]).normalized();
            const auto key = std::find(take.translated.begin(), take.translated.end(), j);
            if (key != take.translated.end())
                take.p.edit()[size_t(f) * moving + size_t(key - take.translated.begin())] =
                    R_WP.conjugate() * (motion.p[at] - p_WP);
        }
}

}  // namespace

std::string idle_touch(TouchKind kind, const std::string& layer, const std::string& why) {
    return fmt::format("touch-up {} of layer '{}' does nothing: {}", touch_kind_name(kind), layer, why);
}

std::vector<std::string> touch_motion(const Character& body, WorldMotion& motion, const TouchLayers& layers,
                                      TouchStage stage, const MotionClock& clock) {
    std::vector<std::string> notes;
    Touched touched(body, motion, clock);
    for (const TouchLayer& layer : layers) {
        if (layer.is_idle()) continue;
        for (const TouchUp& touch : layer.touches) {
            if (touch.stage != stage || (stage == TouchStage::source && changes_the_clock(touch.kind)))
                continue;
            if (const std::string why = touched.run(touch, layer.weight); !why.empty())
                notes.push_back(idle_touch(touch.kind, layer.name, why));
        }
    }
    return notes;
}

Take touched_take(const Character& body, const Take& take, const TouchLayers& layers, double start_s,
                  std::vector<std::string>& notes, std::vector<LoopFrames>* loops) {
    Take result = take;
    const Skeleton& skeleton = body.rig.skeleton;
    const MotionClock clock{start_s, take.frame_time_s, take.first_motion_frame};
    const bool has_motion = any_touch(layers, [](const TouchUp& touch) {
        return touch.stage == TouchStage::source && !changes_the_clock(touch.kind);
    });
    if (has_motion) {
        const WorldMotion before = forward_kinematics(skeleton, take);
        WorldMotion motion = before;
        for (std::string& note : touch_motion(body, motion, layers, TouchStage::source, clock))
            notes.push_back(std::move(note));
        put_motion(skeleton, before, motion, result);
    }
    const int top = body_top(carried_skeleton(skeleton, body.roles), body.roles);
    for (const TouchKind kind : {TouchKind::loop, TouchKind::pace})
        for (const TouchLayer& layer : layers) {
            if (layer.is_idle()) continue;
            for (const TouchUp& touch : layer.touches) {
                if (touch.kind != kind || touch.stage != TouchStage::source) continue;
                const double end_s = start_s + (result.frames - 1) * take.frame_time_s;
                const bool is_outside =
                    !touch.when.is_whole && (touch.when.end_s() <= start_s || touch.when.begin_s() >= end_s);
                const auto tell = [&](std::string_view why) {
                    notes.push_back(idle_touch(kind, layer.name, std::string(why)));
                };
                if (is_outside) {
                    tell(outside_the_take);
                    continue;
                }
                if (kind == TouchKind::pace) {
                    const double percent = 100.0 + layer.weight * (touch.percent - 100.0);
                    const Pace pace = pace_of(result, touch.when, percent, start_s);
                    result = paced(result, pace);
                    if (loops)
                        for (auto& [first, last] : *loops) {
                            first = int(std::lround(pace.to_new(first)));
                            last = int(std::lround(pace.to_new(last)));
                        }
                    continue;
                }
                const auto frame = [&](double t_s) {
                    return int(std::lround((t_s - start_s) / take.frame_time_s));
                };
                // What reaches beyond the take loops as far as there is motion.
                const int begins = result.first_motion_frame, ends = std::max(begins, result.frames - 1);
                const int first =
                    touch.when.is_whole ? begins : std::clamp(frame(touch.when.from_s), begins, ends);
                const int last =
                    touch.when.is_whole ? ends : std::clamp(frame(touch.when.to_s), begins, ends);
                if (last - first < 4) {
                    tell("a loop needs five frames");
                    continue;
                }
                close_loop(skeleton, result, top, lines_of(body.roles), first, last,
                           int(std::lround(touch.when.release_s / take.frame_time_s)));
                if (loops) loops->push_back({first, last});
                if (!touch.has_travel)
                    take_travel_out(skeleton, result, top, lines_of(body.roles), first, last);
            }
        }
    return result;
}

}  // namespace nb
