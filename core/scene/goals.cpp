#include "core/scene/goals.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <optional>

#include "core/base/parallel.hpp"
#include "core/body/measures.hpp"
#include "core/scene/hand_mesh.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"
#include "core/surface/hand_points.hpp"

namespace nb {

namespace {

constexpr double reaches = 0.935;  // of an arm's length: less than where put_on_set eases it
constexpr double least_miss_m = 0.01;
constexpr double most_turn_to_lie_rad = 0.6;
constexpr double most_turn_elsewhere_rad = 1.2;
constexpr int whole_hand_rounds_on_other = 2;
constexpr int meeting_rounds = 3;
constexpr double most_pressed_m = 0.004;
constexpr double lies_back = 0.5;  // of what one hand is longer than the other
constexpr std::array<double, 7> tilts_rad{0.1, 0.2, 0.3, 0.4, -0.1, -0.2, -0.3};
constexpr double least_tiltable = 0.1;  // of a hand beside where it faces
constexpr double near_enough_apart_m = 0.015;
constexpr double farthest = 1.25;  // of an arm's reach: a place that a hand may lie on
constexpr size_t most_looked_at = 120;
constexpr double free_m = 0.02;  // over a place that a hand may lie on there is no other part
constexpr size_t most_holding = 4;
// A hand that comes to a shared thing from farther off, of a body of 175 cm, is led longer; by so much more at most.
constexpr double led_as_usual_m = 0.08, most_longer_s = 0.65;
constexpr int reach_rounds = 12;  // in which what two arms reach is found

/// The other body of a touch, as one that a hand lies on.
struct Other {
    NearProgram near;  ///< its surfaces
    const Cast* cast = nullptr;
    const WorldMotion *S = nullptr, *T = nullptr;
};

/// A hand that touches, and by what it is carried.
struct TouchingHand {
    const Cast* cast = nullptr;
    const LimbOp* limb = nullptr;
    NearHand hand;
    size_t point = 0;
    const WorldMotion *S = nullptr, *T_alone = nullptr;
};

double as_angle(const Vec3& turn, double most) {
    const double angle = turn.norm();
    return angle > 1e-9 ? most * std::tanh(angle / most) / angle : 1.0;
}

/// An arm's length in a frame, as its body is alone.
double arm_length(const TouchingHand& toucher, int f) {
    const auto p = [&](int joint) -> const Vec3& {
        return toucher.T_alone->p[toucher.T_alone->at(f, joint)];
    };
    const LimbOp& limb = *toucher.limb;
    return (p(limb.T_mid) - p(limb.T_start)).norm() + (p(limb.T_tip) - p(limb.T_mid)).norm();
}

/// Where the hand lies on the other's target.
struct Spot {
    PartPair pair;
    std::optional<SurfacePlace> instead;  ///< a place that it reaches; else the source's own
};

class HandGoals {
  public:
    HandGoals(const TouchingHand& toucher, const Other& other, const BodyTouch& touch)
        : toucher_(toucher), other_(other), touch_(touch) {}

    /// The hand's joint in a frame, world; `out`: of the other's skin there.
    Rigid at(const Spot& spot, int f, Vec3* out = nullptr) const {
        const double scene_s = toucher_.cast->scene_time_s(f);
        const Pose S_on = pose_between(*other_.S, other_.cast->take_time_s(scene_s));
        const Pose T_on = pose_between(*other_.T, other_.cast->take_time_s(scene_s));
        const SourceFrame S = frame_of(*toucher_.S, f);
        // A copy that may be moved: hand and forearm, as the body is alone.
        Pose T = pose_of(*toucher_.T_alone, f);
        const PartSurface& S_part = other_.near.S.parts[spot.pair.S];
        const PartSurface& T_part = other_.near.T.parts[spot.pair.T];
        const Rigid X_S = S_part.frame(S_on.R[size_t(S_part.joint)], S_on.p[size_t(S_part.joint)]);
        const Rigid X_T = T_part.frame(T_on.R[size_t(T_part.joint)], T_on.p[size_t(T_part.joint)]);
        const NearHand& hand = toucher_.hand;
        const Vec3 x = S.p[size_t(hand.S_hand)] + S.R[size_t(hand.S_hand)] * hand.points[toucher_.point].S_J;
        const SurfacePlace place = S_part.place(inverse(X_S) * x);
        SurfacePlace to =
            place_on_target(other_.near.S, other_.near.T, spot.pair, other_.near.by_stature, place);
        if (spot.instead) {
            const double h = to.h;
            to = *spot.instead;
            to.h = h;
        }
        const Quat lies_S = X_S.R * Quat(S_part.lie(place)), lies_T = X_T.R * Quat(T_part.lie(to));
        if (out) *out = lies_T * Vec3::UnitX();
        // Elsewhere on the skin what counts is where it faces.
        Vec3 turn = spot.instead ? log_rotation(shortest_arc(lies_S * Vec3::UnitX(), lies_T * Vec3::UnitX()))
                                 : log_rotation(lies_T * lies_S.conjugate());
        turn *= as_angle(turn, spot.instead ? most_turn_elsewhere_rad : most_turn_to_lie_rad);
        const Quat by = exp_rotation(turn);
        const size_t joint = size_t(hand.T_hand);
        const Vec3 wrist = X_T * T_part.point(to) - by * T.R[joint] * hand.points[toucher_.point].T_J;
        const Vec3 move = wrist - T.p[joint];
        for (const NearHand::Skin& skin : hand.T_skin) {
            const size_t j = size_t(skin.joint);
            if (skin.joint == hand.T_hand) T.R[j] = (by * T.R[j]).normalized();
            T.p[j] += move;
        }
        std::vector<std::optional<double>> in_source(hand.parts.size());
        for (int round = 0; round < whole_hand_rounds_on_other; ++round) {
            const HandFrames frames{S, {T.R, T.p, S.t_s}, {S_on.R, S_on.p, S.t_s}, {T_on.R, T_on.p, S.t_s}};
            const Vec3 off = by_whole_hand(other_.near, hand, frames, {}, in_source);
            if (off.norm() < 1e-6) break;
            for (const NearHand::Skin& skin : hand.T_skin) T.p[size_t(skin.joint)] += off;
        }
        return {T.R[joint], T.p[joint]};
    }

    /// By how much the arm is too short for a place, m; over frames spread over the touch the most.
    double missed(const Spot& spot) const {
        double most = 0.0;
        for (const int f : some_frames()) {
            const Vec3& start = toucher_.T_alone->p[toucher_.T_alone->at(f, toucher_.limb->T_start)];
            most = std::max(most, (at(spot, f).p - start).norm() - reaches * arm_length(toucher_, f));
        }
        return most;
    }

    /// Whether a point lies in no part of the other's target but one.
    bool is_outside(const Vec3& q, const Pose& T_on, size_t but) const {
        for (size_t t = 0; t < other_.near.T.parts.size(); ++t) {
            const PartSurface& part = other_.near.T.parts[t];
            if (t == but) continue;
            const Rigid X = part.frame(T_on.R[size_t(part.joint)], T_on.p[size_t(part.joint)]);
            const Vec3 u = inverse(X) * q;
            if (part.at_least_over_there(u) <= 0.0 && part.height(u) < 0.0) return false;
        }
        return true;
    }

    /// The place of the other's skin that the arm reaches and that is nearest to where it should lie.
    std::optional<Spot> reachable(const Spot& wanted) const {
        const int f = (touch_.first + touch_.last) / 2;
        const Pose T_on = pose_between(*other_.T, other_.cast->take_time_s(toucher_.cast->scene_time_s(f)));
        const Vec3& start = toucher_.T_alone->p[toucher_.T_alone->at(f, toucher_.limb->T_start)];
        const double length = reaches * arm_length(toucher_, f);
        const Rigid goal = at(wanted, f);
        const Vec3 point = goal * toucher_.hand.points[toucher_.point].T_J;
        std::vector<std::pair<double, Spot>> found;
        for (const PartPair& pair : toucher_.hand.parts) {
            const PartSurface& part = other_.near.T.parts[pair.T];
            const std::string role = role_part(part.role);
            if (role == "hand" || role == "foot" || role == "head" || role == "shin") continue;
            const Rigid X = part.frame(T_on.R[size_t(part.joint)], T_on.p[size_t(part.joint)]);
            for (int row = 1; row + 1 < PartSurface::rows; ++row)
                for (int column = 0; column < PartSurface::columns; ++column) {
                    const SurfacePlace place{(row + 0.5) / PartSurface::rows,
                                             2.0 * pi * column / PartSurface::columns, 0.0, 0.0};
                    const Vec3 q = X * part.point(place);
                    const Vec3 to = start - q;
                    const Vec3 out = X.R * part.lie(place).col(0);
                    // The hand comes from outside.
                    if (to.norm() < farthest * length && out.dot(to.normalized()) > 0.2 &&
                        is_outside(q + free_m * out, T_on, pair.T))
                        found.emplace_back((q - point).norm(), Spot{pair, place});
                }
        }
        std::sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        // Of those next to each other one is looked at closely.
        std::optional<Spot> best;
        double least = 1e30;
        const size_t step = std::max<size_t>(1, found.size() / most_looked_at);
        for (size_t i = 0; i < found.size(); i += step) {
            const double short_by = missed(found[i].second);
            if (short_by <= 0.0) return found[i].second;
            if (short_by >= least) continue;
            least = short_by;
            best = found[i].second;
        }
        return best;
    }

    RigidTrack track(const Spot& spot) const {
        RigidTrack track;
        track.frame_time_s = toucher_.S->frame_time_s;
        track.from_s = toucher_.S->time_s(touch_.first);
        track.X.resize(size_t(touch_.last - touch_.first));
        const HandMesh mesh(*toucher_.cast->target, role_side(touch_.point), *other_.cast->target);
        const SpacedShifts shifts(toucher_.cast->scene_time_s(touch_.first),
                                  toucher_.cast->scene_time_s(touch_.last - 1), [&](double scene_s) {
                                      const int f = frame_near(*toucher_.cast, scene_s);
                                      const Pose T_on =
                                          pose_between(*other_.T, other_.cast->take_time_s(scene_s));
                                      Vec3 out;
                                      const Rigid X = at(spot, f, &out);
                                      return mesh.onto(pose_of(*toucher_.T_alone, f), X, T_on, out);
                                  });
        for_each_frame(touch_.last - touch_.first, 0, [&](int from, int to) {
            for (int i = from; i < to; ++i) {
                Rigid& X = track.X[size_t(i)];
                X = at(spot, touch_.first + i);
                X.p += shifts.at(toucher_.cast->scene_time_s(touch_.first + i));
            }
        });
        return track;
    }

  private:
    const TouchingHand& toucher_;
    const Other& other_;
    const BodyTouch& touch_;

    std::array<int, 3> some_frames() const {
        return {touch_.first, (touch_.first + touch_.last) / 2, touch_.last - 1};
    }
};

class SceneGoals {
  public:
    explicit SceneGoals(const SceneState& state) : state_(state), beside_(state.casts.size()) {}

    void hands() {
        for (const BodyTouch& touch : state_.touches) {
            if (touch.is_unsure) continue;
            const std::optional<TouchingHand> toucher = toucher_of(touch);
            if (!toucher) continue;
            const BodyTouch* mutual = nullptr;
            for (const BodyTouch& other : state_.touches)
                if (!other.is_unsure && are_on_each_other(touch, other, state_.casts)) mutual = &other;
            const std::optional<TouchingHand> partner = mutual ? toucher_of(*mutual) : std::nullopt;
            if (partner) {
                if (touch.cast < mutual->cast) half_way(touch, *toucher, *mutual, *partner);
                continue;
            }
            Beside::Hand hand = hand_of_touch(touch, *toucher);
            hand.X_WH = on_skin(*toucher, touch);
            if (!hand.X_WH.X.empty()) beside_[touch.cast].hands.push_back(std::move(hand));
        }
    }

    /// Things that hands of several bodies hold: of one name, at one place in the takes.
    void things() {
        const std::span<const Cast> casts = state_.casts;
        for (size_t a = 0; a < casts.size(); ++a)
            for (const HeldThing& held : state_.results[a].plan.program.things) {
                std::vector<std::pair<size_t, int>> holders;
                for (size_t b = 0; b < casts.size(); ++b)
                    for (const HeldThing& other : state_.results[b].plan.program.things)
                        if (is_one_thing(casts, state_.skins, a, held.S_thing, b, other.S_thing))
                            holders.emplace_back(b, other.S_thing);
                if (holders.size() < 2 || holders.front().first != a) continue;
                share_thing(holders);
            }
    }

    SceneBeside take() {
        SceneBeside all{{}, std::move(relied_), std::move(notes_)};
        for (Beside& one : beside_)
            all.of_casts.push_back(one.is_empty() ? nullptr : std::make_shared<const Beside>(std::move(one)));
        return all;
    }

  private:
    const SceneState& state_;
    std::vector<Beside> beside_;
    std::vector<std::pair<size_t, int>> relied_;
    std::vector<std::string> notes_;

    std::optional<TouchingHand> toucher_of(const BodyTouch& touch) const {
        const Cast& cast = state_.casts[touch.cast];
        const Program& program = state_.results[touch.cast].plan.program;
        const Side side = role_side(touch.point);
        const auto point = hand_point_index(role_part(touch.point));
        for (size_t i = 0; i < program.limbs.size() && point; ++i) {
            const LimbOp& limb = program.limbs[i];
            if (limb.limb < 2 || role_side(limb_names[limb.limb]) != side) continue;
            TouchingHand toucher;
            toucher.cast = &cast;
            toucher.limb = &limb;
            const PairedBodies bodies(*cast.source, *cast.target, cast.settings, cast.take->key());
            const CastSkins& skins = state_.skins[touch.cast];
            toucher.hand = near_hand(bodies, skins.S, skins.T, limb, i);
            if (toucher.hand.points.size() <= *point) return {};
            toucher.point = *point;
            toucher.S = &skins.source;
            toucher.T_alone = &state_.alone[touch.cast];
            return toucher;
        }
        return {};
    }

    Other other_of(size_t index) const {
        const Cast& cast = state_.casts[index];
        Other other;
        other.near.S = state_.skins[index].S;
        other.near.T = state_.skins[index].T;
        other.near.to_reference =
            reference_stature_m / std::max(0.01, stature(cast.source->rig.skeleton, cast.source->roles));
        other.near.by_stature = other.near.T.stature_m / std::max(0.01, other.near.S.stature_m);
        other.cast = &cast;
        other.S = &state_.skins[index].source;
        other.T = &state_.results[index].target;
        return other;
    }

    RigidTrack on_skin(TouchingHand toucher, const BodyTouch& touch) {
        const Other other = other_of(touch.other);
        std::optional<PartPair> on;
        for (size_t s = 0; s < other.near.S.parts.size(); ++s)
            if (const auto pair =
                    same_part(*other.cast->source, other.near.S, s, *other.cast->target, other.near.T)) {
                toucher.hand.parts.push_back(*pair);
                if (other.near.S.parts[s].role == touch.on) on = *pair;
            }
        if (!on) {
            notes_.push_back(fmt::format("{}: '{}' has no {} for its hand to lie on", toucher.cast->name,
                                         other.cast->name, touch.on));
            return {};
        }
        const HandGoals goals(toucher, other, touch);
        Spot spot{*on, {}};
        if (const double missed = goals.missed(spot); missed > least_miss_m) {
            if (const std::optional<Spot> instead = goals.reachable(spot)) {
                spot = *instead;
                notes_.push_back(
                    fmt::format("{}: {} does not reach {} of {} by {:.0f} cm; it lies on {} there",
                                toucher.cast->name, touch.point, touch.on, other.cast->name, 100.0 * missed,
                                other.near.T.parts[spot.pair.T].role));
            } else {
                notes_.push_back(fmt::format("{}: {} does not reach {} of {} by {:.0f} cm",
                                             toucher.cast->name, touch.point, touch.on, other.cast->name,
                                             100.0 * missed));
            }
        }
        relied_.emplace_back(touch.other, other.near.T.parts[spot.pair.T].joint);
        return goals.track(spot);
    }

    /// A hand that meets another half way: its frame, and the body it is of at that moment.
    struct Meeting {
        const TouchingHand* toucher = nullptr;
        const ArmToHand* arm = nullptr;
        Pose S_pose, alone, T;  ///< T: with the hand where they meet
        Vec3 start = Vec3::Zero();
        double length = 0.0;

        Vec3 point(const NearHand::Point& at) const {
            const size_t j = size_t(toucher->hand.T_hand);
            return T.p[j] + T.R[j] * at.T_J;
        }
        Vec3 S_point(const NearHand::Point& at) const {
            const size_t j = size_t(toucher->hand.S_hand);
            return S_pose.p[j] + S_pose.R[j] * at.S_J;
        }
        Rigid hand() const {
            const size_t j = size_t(toucher->hand.T_hand);
            return {T.R[j], T.p[j]};
        }
        void move(const Vec3& by) {
            const Rigid X = hand();
            T = arm->at(alone, {X.R, X.p + by});
        }
        void turn(const Quat& by, const Vec3& about) {
            const Rigid X = hand();
            T = arm->at(alone, {by * X.R, about + by * (X.p - about)});
        }
        /// What the arm lacks to where the wrist is, from it toward the shoulder.
        Vec3 lacks() const {
            const Vec3 away = start - hand().p;
            const double beyond = away.norm() - length;
            return beyond > 0.0 ? Vec3(beyond * away.normalized()) : Vec3(Vec3::Zero());
        }
    };

    static Meeting meeting_of(const TouchingHand& toucher, const ArmToHand& arm, double scene_s) {
        Meeting one;
        one.toucher = &toucher;
        one.arm = &arm;
        const double t_s = toucher.cast->take_time_s(scene_s);
        one.S_pose = pose_between(*toucher.S, t_s);
        one.alone = one.T = pose_between(*toucher.T_alone, t_s);
        one.start = joint_at(*toucher.T_alone, toucher.limb->T_start, t_s).p;
        const auto p = [&](int joint) -> const Vec3& { return one.T.p[size_t(joint)]; };
        one.length = reaches * ((p(toucher.limb->T_mid) - p(toucher.limb->T_start)).norm() +
                                (p(toucher.limb->T_tip) - p(toucher.limb->T_mid)).norm());
        return one;
    }

    /// How far a hand is off parts of a body, or in them, beside the source: along their skin. At one time of the scene.
    class OffParts {
      public:
        OffParts(const TouchingHand& own, const Other& other, std::vector<PartPair> parts, bool touches)
            : other_(other), hand_(own.hand), touches_(touches), in_source_(parts.size()) {
            hand_.parts = std::move(parts);
        }
        Vec3 by(const Meeting& own, const Meeting& on) {
            const auto frame = [](const Pose& pose) { return SourceFrame{pose.R, pose.p, 0.0}; };
            return by_whole_hand(other_.near, hand_,
                                 {frame(own.S_pose), frame(own.T), frame(on.S_pose), frame(on.T)}, {touches_},
                                 in_source_);
        }

      private:
        const Other& other_;
        NearHand hand_;
        const bool touches_;
        std::vector<std::optional<double>> in_source_;  ///< a part each, as far as it was asked for
    };

    /// What hands that meet must not lie in.
    static std::vector<PartPair> trunk_of(const Other& other) {
        std::vector<PartPair> trunk;
        for (size_t s = 0; s < other.near.S.parts.size(); ++s)
            if (const std::string role = role_part(other.near.S.parts[s].role);
                is_trunk(other.near.S.parts[s].role) || role == "head" || role == "thigh")
                if (const auto pair =
                        same_part(*other.cast->source, other.near.S, s, *other.cast->target, other.near.T))
                    trunk.push_back(*pair);
        return trunk;
    }

    std::optional<PartPair> hand_part(const Other& other, const std::string& role) const {
        for (size_t s = 0; s < other.near.S.parts.size(); ++s)
            if (other.near.S.parts[s].role == role)
                return same_part(*other.cast->source, other.near.S, s, *other.cast->target, other.near.T);
        return {};
    }

    /// Of two hands on each other, their tips away from the other's arm.
    struct Tilts {
        double A_rad = 0.0, B_rad = 0.0;
    };
    /// Two hands on each other at a time of the scene, as surfaces have them.
    struct Met {
        Rigid A, B;                ///< of the hands' joints, world
        Vec3 out = Vec3::UnitY();  ///< of B's skin toward A, as the palms of the sources face
        Pose A_pose, B_pose;       ///< of both bodies, with these arms
    };
    class HalfWay {
      public:
        HalfWay(const SceneGoals& goals, const BodyTouch& a, const TouchingHand& A, const BodyTouch& b,
                const TouchingHand& B)
            : A_(A),
              B_(B),
              of_A_(goals.other_of(a.cast)),
              of_B_(goals.other_of(b.cast)),
              arm_A_(*A.cast->target, *A.limb),
              arm_B_(*B.cast->target, *B.limb),
              trunk_A_(trunk_of(of_A_)),
              trunk_B_(trunk_of(of_B_)) {
            on_A_ = goals.hand_part(of_A_, "hand" + std::string(side_suffix(role_side(a.point))));
            on_B_ = goals.hand_part(of_B_, "hand" + std::string(side_suffix(role_side(b.point))));
        }

        bool is_A_longer() const { return hand_length(A_) > hand_length(B_); }

        Met at(double scene_s, const Vec3& shift, const Tilts& tilts) const {
            const NearHand::Point &a = A_.hand.points[A_.point], &b = B_.hand.points[B_.point];
            Meeting A = meeting_of(A_, arm_A_, scene_s), B = meeting_of(B_, arm_B_, scene_s);
            const Vec3 between = A.S_point(a) - B.S_point(b);
            const Vec3 middle = 0.5 * (A.point(a) + B.point(b));
            // The longer hand lies back, so that its fingers do not reach the other's elbow.
            const double longer = hand_length(A_) - hand_length(B_);
            A.move(middle + 0.5 * between - A.point(a) - lies_back * std::max(0.0, longer) * along(A));
            B.move(middle - 0.5 * between - B.point(b) - lies_back * std::max(0.0, -longer) * along(B));
            const Vec3 out = facing(A, B);
            tilt(A, a, out, tilts.A_rad);
            tilt(B, b, -out, tilts.B_rad);
            OffParts A_on_hand(A_, of_B_, as_list(on_B_), true), B_on_hand(B_, of_A_, as_list(on_A_), true);
            for (int round = 0; round < meeting_rounds; ++round) {
                const Vec3 apart = 0.25 * A_on_hand.by(A, B) - 0.25 * B_on_hand.by(B, A);
                if (apart.norm() < 1e-6) break;
                A.move(apart);
                B.move(-apart);
            }
            A.move(0.5 * shift);
            B.move(-0.5 * shift);
            OffParts A_on_trunk(A_, of_B_, trunk_B_, false), B_on_trunk(B_, of_A_, trunk_A_, false);
            for (int round = 0; round < meeting_rounds; ++round) {
                const Vec3 by = A_on_trunk.by(A, B) + B_on_trunk.by(B, A);
                if (by.norm() < 1e-6) break;
                A.move(by);
                B.move(by);
            }
            for (int round = 0; round < reach_rounds; ++round) {
                const Vec3 by = A.lacks() + B.lacks();
                if (by.norm() < 1e-6) break;
                A.move(by);
                B.move(by);
            }
            return {A.hand(), B.hand(), out, std::move(A.T), std::move(B.T)};
        }

      private:
        static std::vector<PartPair> as_list(const std::optional<PartPair>& part) {
            return part ? std::vector<PartPair>{*part} : std::vector<PartPair>();
        }
        /// About where it touches, its tip toward `out`.
        static void tilt(Meeting& one, const NearHand::Point& about, const Vec3& out, double by_rad) {
            const Vec3 axis = along(one).cross(out);
            if (by_rad != 0.0 && axis.norm() > least_tiltable)
                one.turn(exp_rotation(by_rad * axis.normalized()), one.point(about));
        }
        /// From wrist to tip on the target, m.
        static double hand_length(const TouchingHand& one) {
            const NearHand& hand = one.hand;
            return hand.points.size() > 1 ? hand.points[1].T_J.norm() : 0.0;
        }
        static Vec3 along(const Meeting& one) {
            const NearHand& hand = one.toucher->hand;
            if (hand.points.size() < 2) return Vec3::Zero();
            return one.T.R[size_t(hand.T_hand)] * hand.points[1].T_J.normalized();
        }
        /// From B's palm to A's: each faces from its bones to its skin.
        Vec3 facing(const Meeting& A, const Meeting& B) const {
            const auto palm = [](const Meeting& one) {
                const NearHand& hand = one.toucher->hand;
                const size_t j = size_t(hand.T_hand);
                const Vec3 along = hand.points.size() > 1 ? hand.points[1].T_J : hand.points[0].T_J;
                const Vec3 at = hand.points[0].T_J;
                const Vec3 line = along.normalized();
                return Vec3(one.T.R[j] * (at - at.dot(line) * line).normalized());
            };
            const Vec3 out = palm(B) - palm(A);
            return out.norm() > 0.1 ? Vec3(out.normalized()) : Vec3(Vec3::UnitY());
        }

        const TouchingHand &A_, &B_;
        const Other of_A_, of_B_;
        const ArmToHand arm_A_, arm_B_;
        const std::vector<PartPair> trunk_A_, trunk_B_;
        std::optional<PartPair> on_A_, on_B_;
    };

    /// Both hands of touches on each other.
    void half_way(const BodyTouch& a, const TouchingHand& A, const BodyTouch& b, const TouchingHand& B) {
        const HalfWay meets(*this, a, A, b, B);
        const HandMesh A_mesh(*A.cast->target, role_side(a.point), *B.cast->target, role_side(b.point));
        const HandMesh B_mesh(*B.cast->target, role_side(b.point), *A.cast->target, role_side(a.point));
        const double first_s = std::max(A.cast->scene_time_s(a.first), B.cast->scene_time_s(b.first));
        const double last_s = std::min(A.cast->scene_time_s(a.last - 1), B.cast->scene_time_s(b.last - 1));
        if (last_s <= first_s) return;
        // By what both move to touch, and how much farther out one of them lies than the other.
        const auto onto = [&](double scene_s, const Tilts& tilts) -> std::pair<Vec3, double> {
            const Met met = meets.at(scene_s, Vec3::Zero(), tilts);
            const Vec3 of_A = A_mesh.onto(met.A_pose, met.A, met.B_pose, met.out);
            const Vec3 of_B = -B_mesh.onto(met.B_pose, met.B, met.A_pose, -met.out);
            // Neither hand's skin lies in the other's.
            if (of_A == Vec3::Zero() || of_B == Vec3::Zero()) return {of_A + of_B, 0.0};
            // One that is farther out than the other is pressed in a little, so that the other touches, too.
            const double a_out = of_A.dot(met.out), b_out = of_B.dot(met.out);
            const double least = std::min(a_out, b_out), apart = std::abs(a_out - b_out);
            return {(least + apart - std::min(0.5 * apart, most_pressed_m)) * met.out, apart};
        };
        std::optional<SpacedShifts> shifts;
        Tilts tilts;
        double least_apart = 1e30, worst_s = first_s;
        const auto look = [&](const Tilts& as) {
            // Where the best so far is at its worst others are, too, as a rule.
            if (least_apart < 1e30 && onto(worst_s, as).second >= least_apart) return;
            std::mutex mutex;
            double apart = 0.0, at_s = first_s;
            SpacedShifts found(first_s, last_s, [&](double scene_s) {
                {
                    const std::lock_guard lock(mutex);
                    if (apart >= least_apart) return Vec3(Vec3::Zero());
                }
                const auto [shift, by] = onto(scene_s, as);
                const std::lock_guard lock(mutex);
                if (by > apart) at_s = scene_s;
                apart = std::max(apart, by);
                return shift;
            });
            if (apart >= least_apart) return;
            least_apart = apart;
            worst_s = at_s;
            tilts = as;
            shifts = std::move(found);
        };
        look(tilts);
        // Where one lies much farther out they are tilted, the longer first.
        for (const bool is_A : {meets.is_A_longer(), !meets.is_A_longer()}) {
            const Tilts from = tilts;
            for (const double tilt_rad : tilts_rad)
                if (least_apart > near_enough_apart_m)
                    look(is_A ? Tilts{tilt_rad, from.B_rad} : Tilts{from.A_rad, tilt_rad});
        }
        std::array<BodyTouch, 2> touches{a, b};
        const std::array<const TouchingHand*, 2> hands{&A, &B};
        // Casts on one clock look at the same times: each once.
        std::vector<double> times_s;
        for (size_t i = 0; i < 2; ++i) {
            const Cast& cast = *hands[i]->cast;
            touches[i].first = std::max(touches[i].first, frame_near(cast, first_s));
            touches[i].last = std::min(touches[i].last, frame_near(cast, last_s) + 1);
            for (int f = touches[i].first; f < touches[i].last; ++f) times_s.push_back(cast.scene_time_s(f));
        }
        std::sort(times_s.begin(), times_s.end());
        times_s.erase(std::unique(times_s.begin(), times_s.end()), times_s.end());
        std::vector<std::array<Rigid, 2>> met(times_s.size());
        for_each_frame(int(times_s.size()), 0, [&](int from, int to) {
            for (int k = from; k < to; ++k) {
                const double scene_s = times_s[size_t(k)];
                const Met at = meets.at(scene_s, shifts->at(scene_s), tilts);
                met[size_t(k)] = {at.A, at.B};
            }
        });
        for (size_t i = 0; i < 2; ++i) {
            const BodyTouch& touch = touches[i];
            if (touch.last <= touch.first) continue;
            Beside::Hand hand = hand_of_touch(touch, *hands[i]);
            for (int f = touch.first; f < touch.last; ++f) {
                const auto at =
                    std::lower_bound(times_s.begin(), times_s.end(), hands[i]->cast->scene_time_s(f));
                hand.X_WH.X.push_back(met[size_t(at - times_s.begin())][i]);
            }
            beside_[touch.cast].hands.push_back(std::move(hand));
        }
    }

    static Beside::Hand hand_of_touch(const BodyTouch& touch, const TouchingHand& own) {
        Beside::Hand hand;
        hand.limb = own.limb->limb;
        hand.is_on_arm = clear_group_of(touch.on) == ClearGroup::other_arm;
        hand.when = span_of(touch.first, touch.last, *own.cast->take);
        hand.X_WH.frame_time_s = own.S->frame_time_s;
        hand.X_WH.from_s = own.S->time_s(touch.first);
        return hand;
    }

    /// An arm that holds a thing, and how far it is led to it.
    struct Holding {
        double led = 0.0;
        Vec3 start = Vec3::Zero(), on_thing = Vec3::Zero(), on_hand_W = Vec3::Zero();
        double length = 0.0;

        /// What it lacks where the thing is at X, toward its shoulder.
        Vec3 lacks(const Rigid& X) const {
            const Vec3 away = start - (X * on_thing - on_hand_W);
            return away.norm() > length ? Vec3((away.norm() - length) * away.normalized())
                                        : Vec3(Vec3::Zero());
        }
    };

    std::vector<Holding> holding(const std::vector<std::pair<size_t, int>>& holders, double scene_s) const {
        std::vector<Holding> arms;
        for (const auto& [of, joint] : holders) {
            const Program& program = state_.results[of].plan.program;
            const WorldMotion& T = state_.alone[of];
            const double t_s = state_.casts[of].take_time_s(scene_s);
            for (const HeldThing& thing : program.things)
                for (const HeldThing::Hand& hand : thing.hands) {
                    const double led = thing.S_thing == joint ? hand.when.led(t_s, hold_lead_s) : 0.0;
                    if (led <= 0.0) continue;
                    const LimbOp& limb = program.limbs[hand.limb];
                    const Vec3 start = joint_at(T, limb.T_start, t_s).p, mid = joint_at(T, limb.T_mid, t_s).p;
                    const Rigid tip = joint_at(T, limb.T_tip, t_s);
                    arms.push_back({led, start, thing.scale * hand.on_thing_J, tip.R * hand.on_hand_J,
                                    reaches * ((mid - start).norm() + (tip.p - mid).norm())});
                }
        }
        // The least led last: of more than `most_holding` those are left out.
        std::sort(arms.begin(), arms.end(), [](const Holding& a, const Holding& b) { return a.led > b.led; });
        return arms;
    }

    /// By what a thing moves so that those of the arms reach it that are in `which` (a bit each).
    static Vec3 reached(const std::vector<Holding>& arms, unsigned which, Rigid X) {
        const Vec3 from = X.p;
        for (int round = 0; round < reach_rounds; ++round) {
            Vec3 by = Vec3::Zero();
            for (size_t i = 0; i < arms.size(); ++i)
                if (which >> i & 1U) by += arms[i].lacks(X);
            if (by.norm() < 1e-6) break;
            X.p += by;
        }
        return X.p - from;
    }

    /// The same of arms that are led in and out: over all that may be there and may not, by how far each is.
    static Vec3 reached(const std::vector<Holding>& arms, const Rigid& X) {
        const size_t count = std::min(arms.size(), most_holding);
        Vec3 by = Vec3::Zero();
        for (unsigned which = 1; which < 1U << count; ++which) {
            double share = 1.0;
            for (size_t i = 0; i < count; ++i) share *= which >> i & 1U ? arms[i].led : 1.0 - arms[i].led;
            if (share > 0.0) by += share * reached(arms, which, X);
        }
        return by;
    }

    /// Where a thing is at a time of the scene; by nobody's hands: none.
    std::optional<Rigid> shared_at(const std::vector<std::pair<size_t, int>>& holders, double scene_s) const {
        double all = 0.0;
        Rigid X;
        for (const auto& [by, joint] : holders) {
            const double t_s = state_.casts[by].take_time_s(scene_s);
            const Pose S = pose_between(state_.results[by].source, t_s),
                       T = pose_between(state_.alone[by], t_s);
            const ThingInHands held =
                thing_in_hands(state_.results[by].plan.program, joint, {S.R, S.p, t_s}, {T.R, T.p, t_s});
            if (held.share <= 0.0) continue;
            all += held.share;
            X.p += held.share / all * (held.X.p - X.p);
            X.R = all == held.share ? held.X.R : interpolate(X.R, held.X.R, held.share / all);
        }
        if (all <= 0.0) return {};
        X.p += reached(holding(holders, scene_s), X);
        return X;
    }

    /// Hands that come to a thing from far off, or leave it so, are led longer, so that they are no quicker for that.
    std::vector<Beside::Thing::Lead> leads_to(size_t of, const Beside::Thing& shared) const {
        std::vector<Beside::Thing::Lead> leads;
        const Program& program = state_.results[of].plan.program;
        const WorldMotion& T = state_.alone[of];
        const Character& body = *state_.casts[of].target;
        const double near_m = led_as_usual_m * stature(body.rig.skeleton, body.roles) / reference_stature_m;
        for (const HeldThing& thing : program.things) {
            if (thing.S_thing != shared.S_thing) continue;
            for (const HeldThing::Hand& hand : thing.hands) {
                const auto more_s = [&](double t_s) {
                    const Vec3 alone = joint_at(T, hand.T_hand, t_s) * hand.on_hand_J;
                    const double away =
                        (shared.X_WT.at(t_s) * (thing.scale * hand.on_thing_J) - alone).norm();
                    return std::min(most_longer_s,
                                    hold_lead_s * (std::sqrt(std::max(1.0, away / near_m)) - 1.0));
                };
                const HandSpan& when = hand.when;
                leads.push_back(
                    {program.limbs[hand.limb].limb, when.from_s, more_s(when.from_s), more_s(when.to_s)});
            }
        }
        return leads;
    }

    void share_thing(const std::vector<std::pair<size_t, int>>& holders) {
        for (const std::pair<size_t, int>& holder : holders) {
            const size_t of = holder.first;
            const int S_thing = holder.second;
            const WorldMotion& motion = state_.results[of].source;
            Beside::Thing thing;
            thing.S_thing = S_thing;
            thing.X_WT.from_s = motion.start_s;
            thing.X_WT.frame_time_s = motion.frame_time_s;
            thing.X_WT.X.resize(size_t(motion.frames));
            for_each_frame(motion.frames, 0, [&](int from, int to) {
                for (int f = from; f < to; ++f) {
                    const size_t at = motion.at(f, S_thing);
                    thing.X_WT.X[size_t(f)] =
                        shared_at(holders, state_.casts[of].scene_time_s(f))
                            .value_or(Rigid{motion.R[at], state_.results[of].plan.program.map(motion.p[at])});
                }
            });
            thing.leads = leads_to(of, thing);
            beside_[of].things.push_back(std::move(thing));
        }
    }
};

}  // namespace

SceneBeside beside_of(const SceneState& state) {
    SceneGoals goals(state);
    goals.hands();
    goals.things();
    return goals.take();
}

}  // namespace nb
