#include "core/handover/keys.hpp"

#include <algorithm>
#include <cmath>
#include <type_traits>

#include "core/base/parallel.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double moved_rad = 1e-7;
constexpr double moved_m = 1e-9;
constexpr double first_share = 1.5;  // of what each channel alone might err by: errors seldom add up
constexpr int mended_apart = 5;      // frames that share one further key in a round

/// One channel of the motion, all frames.
struct Channels {
    int frames = 0;
    std::vector<std::vector<Quat>> turns;   ///< [joint][frame]
    std::vector<std::vector<Vec3>> places;  ///< [place in translated][frame]
};

Channels channels_of(const MotionView& motion) {
    const Take& about = motion.about();
    Channels channels;
    channels.frames = about.frames;
    channels.turns.resize(size_t(about.joints));
    channels.places.resize(about.translated.size());
    for_each_frame(about.joints, 0, [&](int first, int last) {
        for (int j = first; j < last; ++j) {
            std::vector<Quat>& turns = channels.turns[size_t(j)];
            turns.reserve(size_t(about.frames));
            for (int f = 0; f < about.frames; ++f) turns.push_back(motion.rotation(f, j));
        }
    });
    for (size_t m = 0; m < about.translated.size(); ++m)
        for (int f = 0; f < about.frames; ++f) channels.places[m].push_back(motion.translation(f, m));
    return channels;
}

double off(const Quat& a, const Quat& b) {
    // 2 asin of the half angle: exact for small ones.
    return 2.0 * std::asin(std::min(1.0, (a.conjugate() * b).vec().norm()));
}
double off(const Vec3& a, const Vec3& b) {
    return (a - b).norm();
}
Quat between(const Quat& a, const Quat& b, double u) {
    return a.slerp(u, b);
}
Vec3 between(const Vec3& a, const Vec3& b, double u) {
    return a + u * (b - a);
}

template <typename Value>
bool is_within(const std::vector<Value>& values, int first, int last, double allowed) {
    for (int f = first + 1; f < last; ++f)
        if (off(between(values[size_t(first)], values[size_t(last)], double(f - first) / (last - first)),
                values[size_t(f)]) > allowed)
            return false;
    return true;
}

template <typename Value>
std::vector<int> greedy(const std::vector<Value>& values, double allowed, const std::vector<int>& kept) {
    const int last = int(values.size()) - 1;
    if (std::all_of(values.begin(), values.end(),
                    [&](const Value& value) { return off(value, values.front()) <= 0.5 * allowed; }))
        return {0};
    std::vector<int> keys{0};
    size_t next_kept = 0;
    while (keys.back() < last) {
        const int at = keys.back();
        while (next_kept < kept.size() && kept[next_kept] <= at) ++next_kept;
        const int limit = next_kept < kept.size() ? std::min(kept[next_kept], last) : last;
        int good = at + 1, bad = -1;
        for (int step = 2; at + step <= limit; step *= 2) {
            if (!is_within(values, at, at + step, allowed)) {
                bad = at + step;
                break;
            }
            good = at + step;
        }
        if (bad < 0 && good < limit) bad = is_within(values, at, limit, allowed) ? -1 : limit;
        if (bad < 0) {
            keys.push_back(limit);
            continue;
        }
        while (bad - good > 1) {
            const int middle = (good + bad) / 2;
            (is_within(values, at, middle, allowed) ? good : bad) = middle;
        }
        keys.push_back(good);
    }
    return keys;
}

template <typename Value>
void play(const std::vector<Value>& values, const std::vector<int>& keys, std::vector<Value>& played) {
    played.resize(values.size());
    for (size_t k = 0; k < keys.size(); ++k) {
        const int first = keys[k], last = k + 1 < keys.size() ? keys[k + 1] : int(values.size());
        const Value& from = values[size_t(first)];
        const Value& to = k + 1 < keys.size() ? values[size_t(last)] : from;
        for (int f = first; f < last; ++f)
            played[size_t(f)] = between(from, to, double(f - first) / (last - first));
        played[size_t(first)] = from;
    }
}

class Reducer {
  public:
    Reducer(const Skeleton& skeleton, const MotionView& motion, const KeyTolerance& allowed,
            const std::vector<std::vector<int>>& kept)
        : skeleton_(skeleton),
          about_(motion.about()),
          allowed_(allowed),
          kept_(kept),
          channels_(channels_of(motion)),
          every_(key_every_frame(skeleton, motion)) {
        place_of_.assign(skeleton.names.size(), -1);
        for (size_t m = 0; m < about_.translated.size(); ++m)
            place_of_[size_t(about_.translated[m])] = int(m);
        const Pose rest = rest_pose(skeleton);
        lever_.assign(skeleton.names.size(), 0.0);
        for (int j = 0; j < skeleton.size(); ++j)
            for (int up = skeleton.parents[size_t(j)]; up >= 0; up = skeleton.parents[size_t(up)])
                lever_[size_t(up)] =
                    std::max(lever_[size_t(up)], (rest.p[size_t(j)] - rest.p[size_t(up)]).norm());
        below_.resize(skeleton.names.size());
        for (int j = 0; j < skeleton.size(); ++j)
            for (int up = j; up >= 0; up = skeleton.parents[size_t(up)]) below_[size_t(up)].push_back(j);
        pose(channels_, world_);
    }

    Reduction reduce(const Watch& watch) {
        Reduction result;
        result.before = every_.count();
        result.keys = every_;
        for_each_frame(about_.joints, 0, [&](int first, int last) {
            for (int j = first; j < last; ++j)
                if (!every_.turns[size_t(j)].empty())
                    result.keys.turns[size_t(j)] =
                        greedy(channels_.turns[size_t(j)], first_share * allowed_turn(j), kept(j));
        });
        for (size_t m = 0; m < every_.places.size(); ++m)
            if (!every_.places[m].empty())
                result.keys.places[m] =
                    greedy(channels_.places[m], first_share * allowed_.place_m, kept(about_.translated[m]));
        Channels played = channels_;
        for (;;) {
            watch.look(0.0);
            for_each_frame(about_.joints, 0, [&](int first, int last) {
                for (int j = first; j < last; ++j)
                    if (const auto& keys = result.keys.turns[size_t(j)]; !keys.empty())
                        play(channels_.turns[size_t(j)], keys, played.turns[size_t(j)]);
            });
            for (size_t m = 0; m < played.places.size(); ++m)
                if (!result.keys.places[m].empty())
                    play(channels_.places[m], result.keys.places[m], played.places[m]);
            WorldMotion world;
            pose(played, world);
            if (mend(played, world, result)) continue;
            thin(played, world, result.keys);
            mend(played, world, result);
            return result;
        }
    }

  private:
    const Skeleton& skeleton_;
    const Take& about_;
    const KeyTolerance allowed_;
    const std::vector<std::vector<int>>& kept_;
    const Channels channels_;
    const MotionKeys every_;
    std::vector<int> place_of_;            ///< by joint, in translated; -1
    std::vector<double> lever_;            ///< by joint, m
    std::vector<std::vector<int>> below_;  ///< by joint: itself and what hangs on it, parents first
    WorldMotion world_;

    double allowed_turn(int joint) const {
        return std::min(allowed_.turn_rad, allowed_.place_m / std::max(lever_[size_t(joint)], 1e-3));
    }
    const std::vector<int>& kept(int joint) const {
        static const std::vector<int> none;
        return size_t(joint) < kept_.size() ? kept_[size_t(joint)] : none;
    }

    void pose(const Channels& channels, WorldMotion& world) const {
        world.resize(channels.frames, about_.joints);
        for_each_frame(channels.frames, 0, [&](int first, int last) {
            for (int f = first; f < last; ++f)
                for (int j = 0; j < about_.joints; ++j) {
                    const int parent = skeleton_.parents[size_t(j)], m = place_of_[size_t(j)];
                    const Quat& R = channels.turns[size_t(j)][size_t(f)];
                    const Vec3& p =
                        m < 0 ? skeleton_.rest_p[size_t(j)] : channels.places[size_t(m)][size_t(f)];
                    const size_t at = world.at(f, j);
                    if (parent < 0) {
                        world.R[at] = R;
                        world.p[at] = p;
                        continue;
                    }
                    const size_t above = world.at(f, parent);
                    world.R[at] = (world.R[above] * R).normalized();
                    world.p[at] = world.p[above] + world.R[above] * p;
                }
        });
    }

    /// The channel that has most of a joint's error in a frame gets a key there.
    bool add_key(const Channels& played, int frame, int joint, bool is_turn, MotionKeys& keys) const {
        std::vector<int>* most_keys = nullptr;
        double most = 0.0;
        const auto weigh = [&](double error, std::vector<int>& channel) {
            if (error <= most || channel.empty() || std::binary_search(channel.begin(), channel.end(), frame))
                return;
            most = error;
            most_keys = &channel;
        };
        const Vec3& tip = world_.p[world_.at(frame, joint)];
        for (int j = joint; j >= 0; j = skeleton_.parents[size_t(j)]) {
            const double turned =
                off(played.turns[size_t(j)][size_t(frame)], channels_.turns[size_t(j)][size_t(frame)]);
            const double way = is_turn ? 1.0 : (tip - world_.p[world_.at(frame, j)]).norm();
            if (is_turn || j != joint) weigh(turned * way, keys.turns[size_t(j)]);
            if (const int m = place_of_[size_t(j)]; m >= 0 && !is_turn)
                weigh(
                    off(played.places[size_t(m)][size_t(frame)], channels_.places[size_t(m)][size_t(frame)]),
                    keys.places[size_t(m)]);
        }
        if (!most_keys) return false;
        most_keys->insert(std::lower_bound(most_keys->begin(), most_keys->end(), frame), frame);
        return true;
    }

    /// Poses joint `j` and what hangs on it in one frame; false when one of them is too far off.
    bool pose_below(int j, int f, const Quat& turn, const Vec3& place, std::vector<Quat>& R,
                    std::vector<Vec3>& p, const Channels& played, const WorldMotion& world) const {
        for (const int k : below_[size_t(j)]) {
            const size_t at = world.at(f, k);
            const int parent = skeleton_.parents[size_t(k)], m = place_of_[size_t(k)];
            const Quat& own = k == j ? turn : played.turns[size_t(k)][size_t(f)];
            const Vec3& offset = k == j  ? place
                                 : m < 0 ? skeleton_.rest_p[size_t(k)]
                                         : played.places[size_t(m)][size_t(f)];
            if (parent < 0) {
                R[size_t(k)] = own;
                p[size_t(k)] = offset;
            } else {
                // Above `j` all is as it was.
                const bool is_below = k != j;
                const Quat& R_P = is_below ? R[size_t(parent)] : world.R[world.at(f, parent)];
                const Vec3& p_P = is_below ? p[size_t(parent)] : world.p[world.at(f, parent)];
                R[size_t(k)] = (R_P * own).normalized();
                p[size_t(k)] = p_P + R_P * offset;
            }
            if (off(p[size_t(k)], world_.p[at]) > allowed_.place_m ||
                off(R[size_t(k)], world_.R[at]) > allowed_.turn_rad)
                return false;
        }
        return true;
    }

    /// Keys without which all stays within what is allowed are left out, one after another.
    template <typename Value>
    void thin_channel(int j, const std::vector<Value>& values, std::vector<int>& keys,
                      std::vector<Value>& played_values, Channels& played, WorldMotion& world) const {
        const size_t joints = size_t(about_.joints);
        std::vector<Quat> R(joints);
        std::vector<Vec3> p(joints);
        std::vector<Value> without;
        const int m = place_of_[size_t(j)];
        const auto place = [&](int f, const Value& value) {
            if constexpr (std::is_same_v<Value, Quat>)
                return pose_below(j, f, value,
                                  m < 0 ? skeleton_.rest_p[size_t(j)] : played.places[size_t(m)][size_t(f)],
                                  R, p, played, world);
            else
                return pose_below(j, f, played.turns[size_t(j)][size_t(f)], value, R, p, played, world);
        };
        for (size_t k = 1; k + 1 < keys.size();) {
            const int a = keys[k - 1], b = keys[k + 1];
            const auto value = [&](int f) {
                return between(values[size_t(a)], values[size_t(b)], double(f - a) / (b - a));
            };
            bool is_needed = std::binary_search(kept(j).begin(), kept(j).end(), keys[k]) ||
                             !place(keys[k], value(keys[k]));
            for (int f = a + 1; f < b && !is_needed; ++f) is_needed = !place(f, value(f));
            if (is_needed) {
                ++k;
                continue;
            }
            keys.erase(keys.begin() + std::ptrdiff_t(k));
            for (int f = a + 1; f < b; ++f) {
                const Value now = value(f);
                place(f, now);
                played_values[size_t(f)] = now;
                for (const int below : below_[size_t(j)]) {
                    world.R[world.at(f, below)] = R[size_t(below)];
                    world.p[world.at(f, below)] = p[size_t(below)];
                }
            }
        }
    }
    void thin(Channels& played, WorldMotion& world, MotionKeys& keys) const {
        for (int j = 0; j < about_.joints; ++j) {
            if (keys.turns[size_t(j)].size() > 2)
                thin_channel(j, channels_.turns[size_t(j)], keys.turns[size_t(j)], played.turns[size_t(j)],
                             played, world);
            if (const int m = place_of_[size_t(j)]; m >= 0 && keys.places[size_t(m)].size() > 2)
                thin_channel(j, channels_.places[size_t(m)], keys.places[size_t(m)], played.places[size_t(m)],
                             played, world);
        }
    }

    /// Fills `result.error`; false when nothing that keys could mend is beyond what is allowed.
    bool mend(const Channels& played, const WorldMotion& world, Reduction& result) const {
        KeyError& error = result.error = {};
        struct Worst {
            double share = 0.0;
            int frame = -1, joint = -1;
            bool is_turn = false;
        } worst;
        bool is_mended = false;
        int span_first = 0;
        const auto close_span = [&] {
            if (worst.frame < 0) return;
            is_mended |= add_key(played, worst.frame, worst.joint, worst.is_turn, result.keys);
            worst = {};
        };
        for (int f = 0; f < about_.frames; ++f) {
            Worst here;
            for (int j = 0; j < about_.joints; ++j) {
                const size_t at = world_.at(f, j);
                const double place = off(world.p[at], world_.p[at]), turn = off(world.R[at], world_.R[at]);
                if (place > error.place_m)
                    error = {place, error.turn_rad, j, f, error.turn_joint, error.turn_frame};
                if (turn > error.turn_rad)
                    error = {error.place_m, turn, error.place_joint, error.place_frame, j, f};
                if (const double share = place / allowed_.place_m; share > here.share)
                    here = {share, f, j, false};
                if (const double share = turn / allowed_.turn_rad; share > here.share)
                    here = {share, f, j, true};
            }
            if (here.share <= 1.0 || f - span_first >= mended_apart) {
                close_span();
                span_first = f;
            }
            if (here.share > 1.0 && here.share > worst.share) worst = here;
        }
        close_span();
        return is_mended;
    }
};

}  // namespace

size_t MotionKeys::count() const {
    size_t all = 0;
    for (const auto& frames : turns) all += frames.size();
    for (const auto& frames : places) all += frames.size();
    return all;
}

MotionKeys key_every_frame(const Skeleton& skeleton, const MotionView& motion) {
    const Take& about = motion.about();
    std::vector<int> all(size_t(about.frames));
    for (int f = 0; f < about.frames; ++f) all[size_t(f)] = f;
    MotionKeys keys;
    keys.turns.resize(size_t(about.joints));
    for (int j = 0; j < about.joints; ++j)
        for (int f = 0; f < about.frames; ++f)
            if (angle_between(motion.rotation(f, j), skeleton.rest_R[size_t(j)]) > moved_rad) {
                keys.turns[size_t(j)] = all;
                break;
            }
    for (size_t m = 0; m < about.translated.size(); ++m) {
        const Vec3& rest = skeleton.rest_p[size_t(about.translated[m])];
        bool is_moved = false;
        for (int f = 0; f < about.frames && !is_moved; ++f)
            is_moved = (motion.translation(f, m) - rest).norm() > moved_m;
        keys.places.push_back(is_moved ? all : std::vector<int>());
    }
    return keys;
}

Reduction reduce_keys(const Skeleton& skeleton, const MotionView& motion, const KeyTolerance& allowed,
                      const std::vector<std::vector<int>>& kept, const Watch& watch) {
    if (motion.about().frames < 1) return {};
    return Reducer(skeleton, motion, allowed, kept).reduce(watch);
}

}  // namespace nb
