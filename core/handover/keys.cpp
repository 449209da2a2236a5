#include "core/handover/keys.hpp"

#include <algorithm>
#include <cmath>
#include <type_traits>

#include "core/base/parallel.hpp"
#include "core/math/hermite.hpp"
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
Quat straight(const Quat& a, const Quat& b, double u) {
    return a.slerp(u, b);
}
Vec3 straight(const Vec3& a, const Vec3& b, double u) {
    return a + u * (b - a);
}

const Vec3& as_vector(const Vec3& value, const Vec3&) {
    return value;
}
Eigen::Vector4d as_vector(const Quat& value, const Quat& beside) {
    return value.dot(beside) < 0.0 ? Eigen::Vector4d(-value.coeffs()) : Eigen::Vector4d(value.coeffs());
}
Vec3 from_vector(const Vec3& vector) {
    return vector;
}
Quat from_vector(const Eigen::Vector4d& vector) {
    return Quat(vector).normalized();
}

/// What is played from one key to the next.
template <typename Value>
class Stretch {
  public:
    Stretch(const std::vector<Value>& values, int first, int last, bool is_curved)
        : from_(values[size_t(first)]),
          to_(values[size_t(last)]),
          first_(first),
          length_(last - first),
          is_curved_(is_curved && last - first > 1) {
        if (!is_curved_) return;
        const auto slope = [&](int at, const Value& beside) {
            return (length_ * key_slope([&](int f) { return as_vector(values[size_t(f)], beside); }, at,
                                        int(values.size())))
                .eval();
        };
        start_ = as_vector(from_, from_);
        end_ = as_vector(to_, from_);
        start_slope_ = slope(first, from_);
        end_slope_ = slope(last, from_vector(end_));  // on the side the curve comes from
    }
    Value at(int f) const {
        const double u = double(f - first_) / length_;
        return is_curved_ ? from_vector(hermite<Vector>(start_, start_slope_, end_, end_slope_, u))
                          : straight(from_, to_, u);
    }

  private:
    using Vector = std::conditional_t<std::is_same_v<Value, Quat>, Eigen::Vector4d, Vec3>;
    const Value from_, to_;
    const int first_, length_;
    const bool is_curved_;
    Vector start_, end_, start_slope_, end_slope_;  ///< slopes of the whole way
};

template <typename Value>
bool is_within(const std::vector<Value>& values, int first, int last, bool is_curved, double allowed) {
    const Stretch<Value> stretch(values, first, last, is_curved);
    for (int f = first + 1; f < last; ++f)
        if (off(stretch.at(f), values[size_t(f)]) > allowed) return false;
    return true;
}

template <typename Value>
std::vector<int> greedy(const std::vector<Value>& values, bool is_curved, double allowed,
                        const std::vector<int>& kept) {
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
            if (!is_within(values, at, at + step, is_curved, allowed)) {
                bad = at + step;
                break;
            }
            good = at + step;
        }
        if (bad < 0 && good < limit) bad = is_within(values, at, limit, is_curved, allowed) ? -1 : limit;
        if (bad < 0) {
            keys.push_back(limit);
            continue;
        }
        while (bad - good > 1) {
            const int middle = (good + bad) / 2;
            (is_within(values, at, middle, is_curved, allowed) ? good : bad) = middle;
        }
        keys.push_back(good);
    }
    return keys;
}

/// From key `first_key` up to, not including, key `last_key`; before the first and after the last one they stay.
template <typename Value>
void play(const std::vector<Value>& values, const std::vector<int>& keys, bool is_curved, int first_key,
          int last_key, std::vector<Value>& played) {
    for (int k = first_key; k < last_key; ++k) {
        const int first = keys[size_t(k)];
        if (k + 1 >= int(keys.size())) {
            std::fill(played.begin() + first, played.end(), values[size_t(first)]);
            continue;
        }
        const int last = keys[size_t(k) + 1];
        const Stretch<Value> stretch(values, first, last, is_curved);
        played[size_t(first)] = values[size_t(first)];
        for (int f = first + 1; f < last; ++f) played[size_t(f)] = stretch.at(f);
    }
}

/// The keys of a channel: straight, or curved where it may be and that halves them.
template <typename Value>
std::vector<int> first_keys(const std::vector<Value>& values, bool may_curve, double allowed,
                            const std::vector<int>& kept, char& is_curved) {
    is_curved = 0;
    std::vector<int> keys = greedy(values, false, allowed, kept);
    if (!may_curve || keys.size() < 3) return keys;
    std::vector<int> curved = greedy(values, true, allowed, kept);
    if (2 * curved.size() > keys.size()) return keys;
    is_curved = 1;
    return curved;
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
        world_.resize(channels_.frames, about_.joints);
        for_each_frame(channels_.frames, 0, [&](int first, int last) {
            for (int f = first; f < last; ++f) pose(channels_, f, world_);
        });
    }

    Reduction reduce(const Watch& watch) {
        Reduction result;
        result.before = every_.count();
        result.keys = every_;
        result.keys.are_turns_curved.assign(every_.turns.size(), 0);
        result.keys.are_places_curved.assign(every_.places.size(), 0);
        for_each_frame(about_.joints, 0, [&](int first, int last) {
            for (int j = first; j < last; ++j)
                if (!every_.turns[size_t(j)].empty())
                    result.keys.turns[size_t(j)] = first_keys(channels_.turns[size_t(j)], allowed_.may_curve,
                                                              first_share * allowed_turn(j), kept(j),
                                                              result.keys.are_turns_curved[size_t(j)]);
        });
        for (size_t m = 0; m < every_.places.size(); ++m)
            if (!every_.places[m].empty())
                result.keys.places[m] =
                    first_keys(channels_.places[m], allowed_.may_curve, first_share * allowed_.place_m,
                               kept(about_.translated[m]), result.keys.are_places_curved[m]);
        Channels played = channels_;
        for_each_frame(about_.joints, 0, [&](int first, int last) {
            for (int j = first; j < last; ++j)
                if (const auto& keys = result.keys.turns[size_t(j)]; !keys.empty())
                    play(channels_.turns[size_t(j)], keys, result.keys.is_turn_curved(j), 0, int(keys.size()),
                         played.turns[size_t(j)]);
        });
        for (size_t m = 0; m < played.places.size(); ++m)
            if (const auto& keys = result.keys.places[m]; !keys.empty())
                play(channels_.places[m], keys, result.keys.is_place_curved(m), 0, int(keys.size()),
                     played.places[m]);
        WorldMotion world;
        world.resize(channels_.frames, about_.joints);
        std::vector<Worst> worst(static_cast<size_t>(channels_.frames));
        std::vector<char> is_stale(worst.size(), 1);
        do {
            watch.look(0.0);
            for_each_frame(channels_.frames, 0, [&](int first, int last) {
                for (int f = first; f < last; ++f) {
                    if (!is_stale[size_t(f)]) continue;
                    pose(played, f, world);
                    worst[size_t(f)] = worst_of(world, f);
                }
            });
            is_stale.assign(is_stale.size(), 0);
        } while (mend(worst, played, is_stale, result.keys));
        thin(played, world, result.keys);
        result.error = error_of(world);
        return result;
    }

  private:
    const Skeleton& skeleton_;
    const Take& about_;
    const KeyTolerance allowed_;
    const std::vector<std::vector<int>>& kept_;
    const Channels channels_;
    const MotionKeys every_;
    const double half_turn_ = std::sin(0.5 * allowed_.turn_rad);
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

    void pose(const Channels& channels, int f, WorldMotion& world) const {
        for (int j = 0; j < about_.joints; ++j) {
            const int parent = skeleton_.parents[size_t(j)], m = place_of_[size_t(j)];
            const Quat& R = channels.turns[size_t(j)][size_t(f)];
            const Vec3& p = m < 0 ? skeleton_.rest_p[size_t(j)] : channels.places[size_t(m)][size_t(f)];
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
    }

    /// The joint that is farthest beyond, or nearest to, what is allowed.
    struct Worst {
        double share = 0.0;
        int joint = -1;
        bool is_turn = false;
    };
    Worst worst_of(const WorldMotion& world, int f) const {
        Worst worst;
        for (int j = 0; j < about_.joints; ++j) {
            const size_t at = world.at(f, j);
            if (const double share = off(world.p[at], world_.p[at]) / allowed_.place_m; share > worst.share)
                worst = {share, j, false};
            if (const double share = off(world.R[at], world_.R[at]) / allowed_.turn_rad; share > worst.share)
                worst = {share, j, true};
        }
        return worst;
    }
    KeyError error_of(const WorldMotion& world) const {
        KeyError error;
        for (int f = 0; f < world.frames; ++f)
            for (int j = 0; j < about_.joints; ++j) {
                const size_t at = world.at(f, j);
                if (const double place = off(world.p[at], world_.p[at]); place > error.place_m) {
                    error.place_m = place;
                    error.place_joint = j;
                    error.place_frame = f;
                }
                if (const double turn = off(world.R[at], world_.R[at]); turn > error.turn_rad) {
                    error.turn_rad = turn;
                    error.turn_joint = j;
                    error.turn_frame = f;
                }
            }
        return error;
    }

    /// The channel that has most of a joint's error in a frame gets a key there; the frames it plays anew are stale.
    bool add_key(int frame, int joint, bool is_turn, Channels& played, std::vector<char>& is_stale,
                 MotionKeys& keys) const {
        int most_joint = -1;
        bool is_place = false;
        double most = 0.0;
        const auto weigh = [&](double error, const std::vector<int>& channel, int j, bool of_place) {
            if (error <= most || channel.empty() || std::binary_search(channel.begin(), channel.end(), frame))
                return;
            most = error;
            most_joint = j;
            is_place = of_place;
        };
        const Vec3& tip = world_.p[world_.at(frame, joint)];
        for (int j = joint; j >= 0; j = skeleton_.parents[size_t(j)]) {
            const double turned =
                off(played.turns[size_t(j)][size_t(frame)], channels_.turns[size_t(j)][size_t(frame)]);
            const double way = is_turn ? 1.0 : (tip - world_.p[world_.at(frame, j)]).norm();
            if (is_turn || j != joint) weigh(turned * way, keys.turns[size_t(j)], j, false);
            if (const int m = place_of_[size_t(j)]; m >= 0 && !is_turn)
                weigh(
                    off(played.places[size_t(m)][size_t(frame)], channels_.places[size_t(m)][size_t(frame)]),
                    keys.places[size_t(m)], j, true);
        }
        if (most_joint < 0) return false;
        const auto insert = [&](std::vector<int>& channel, bool is_curved, const auto& values,
                                auto& played_values) {
            const auto at = channel.insert(std::lower_bound(channel.begin(), channel.end(), frame), frame);
            const int k = int(at - channel.begin());
            play(values, channel, is_curved, std::max(0, k - 1), k + 1, played_values);
            const int first = channel[size_t(std::max(0, k - 1))];
            const int last = k + 1 < int(channel.size()) ? channel[size_t(k) + 1] : channels_.frames;
            std::fill(is_stale.begin() + first, is_stale.begin() + last, char(1));
        };
        if (is_place) {
            const size_t m = size_t(place_of_[size_t(most_joint)]);
            insert(keys.places[m], keys.is_place_curved(m), channels_.places[m], played.places[m]);
        } else {
            insert(keys.turns[size_t(most_joint)], keys.is_turn_curved(most_joint),
                   channels_.turns[size_t(most_joint)], played.turns[size_t(most_joint)]);
        }
        return true;
    }

    /// As `off`, without roots and arcs: this is asked very often.
    bool is_beyond(const Vec3& a, const Vec3& b) const {
        return (a - b).squaredNorm() > allowed_.place_m * allowed_.place_m;
    }
    bool is_beyond(const Quat& a, const Quat& b) const {
        const double c = a.dot(b);
        return a.squaredNorm() * b.squaredNorm() - c * c > half_turn_ * half_turn_;
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
                R[size_t(k)] = R_P * own;
                p[size_t(k)] = p_P + R_P * offset;
            }
            if (is_beyond(p[size_t(k)], world_.p[at]) || is_beyond(R[size_t(k)], world_.R[at])) return false;
        }
        return true;
    }

    /// Keys without which all stays within what is allowed are left out, one after another.
    template <typename Value>
    void thin_channel(int j, const std::vector<Value>& values, bool is_curved, std::vector<int>& keys,
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
            const Stretch<Value> stretch(values, a, b, is_curved);
            bool is_needed = std::binary_search(kept(j).begin(), kept(j).end(), keys[k]) ||
                             !place(keys[k], stretch.at(keys[k]));
            for (int f = a + 1; f < b && !is_needed; ++f) is_needed = !place(f, stretch.at(f));
            if (is_needed) {
                ++k;
                continue;
            }
            keys.erase(keys.begin() + std::ptrdiff_t(k));
            for (int f = a + 1; f < b; ++f) {
                const Value now = stretch.at(f);
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
                thin_channel(j, channels_.turns[size_t(j)], keys.is_turn_curved(j), keys.turns[size_t(j)],
                             played.turns[size_t(j)], played, world);
            if (const int m = place_of_[size_t(j)]; m >= 0 && keys.places[size_t(m)].size() > 2)
                thin_channel(j, channels_.places[size_t(m)], keys.is_place_curved(size_t(m)),
                             keys.places[size_t(m)], played.places[size_t(m)], played, world);
        }
    }

    /// A key for the worst frame of every few that are beyond what is allowed; false when there is nothing to mend.
    bool mend(const std::vector<Worst>& worst, Channels& played, std::vector<char>& is_stale,
              MotionKeys& keys) const {
        bool is_mended = false;
        for (int first = 0; first < about_.frames; first += mended_apart) {
            int at = -1;
            for (int f = first; f < std::min(about_.frames, first + mended_apart); ++f)
                if (worst[size_t(f)].share > 1.0 &&
                    (at < 0 || worst[size_t(f)].share > worst[size_t(at)].share))
                    at = f;
            if (at < 0) continue;
            is_mended |=
                add_key(at, worst[size_t(at)].joint, worst[size_t(at)].is_turn, played, is_stale, keys);
        }
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

std::span<const int> MotionKeys::places_of(const Take& about, int joint) const {
    const auto moved = std::find(about.translated.begin(), about.translated.end(), joint);
    if (moved == about.translated.end()) return {};
    return places[size_t(moved - about.translated.begin())];
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
