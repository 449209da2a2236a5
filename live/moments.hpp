// Frames of a stream in the order of their time: those that were shown, and those that have come and wait their turn.
//
// A moment is one frame's world pose of the source with what feet ask for in it. Places are kept: once there are enough,
// nothing is allocated.
#pragma once
#include <array>
#include <vector>

#include "core/solve/program.hpp"

namespace nb {

struct Moment {
    double t_s = 0.0;  ///< on the sender's clock
    long number = 0;
    std::vector<Quat> R;                                   ///< R_WJ of the source, a joint
    std::vector<Vec3> p;                                   ///< p_WJ, m
    Vec3 hips_m = Vec3::Zero();                            ///< the source's hip centre
    std::array<std::array<Vec3, 2>, limb_count> points{};  ///< heel and ball of the source's ends
    /// What the target is asked for before anything is held.
    struct Asked {
        Vec3 start_m = Vec3::Zero(), ankle_m = Vec3::Zero();
        Quat foot = Quat::Identity(), toe = Quat::Identity();
        double S_stretch = 0.0, length_m = 0.0;
    };
    std::array<Asked, limb_count> asked{};
};

class Moments {
  public:
    /// `kept_s`: of what was shown.
    Moments(const Program& program, const Skeleton& source, double kept_s = 0.6);

    /// A frame of a take of the source. False when a moment of
    /// its time is there, or one that comes after it was shown already.
    bool add(long number, double t_s, const Take& take, int frame);
    /// From now on the newest of those not after `t_s` is the shown one; false when it was before.
    bool go_to(double t_s);

    int size() const { return int(order_.size()); }
    int now() const { return now_; }  ///< -1: none was shown
    const Moment& at(int i) const { return pool_[size_t(order_[size_t(i)])]; }
    const Moment& shown() const { return at(now_); }
    /// Of a point of a limb's end at a time between moments; at the ends as there. m.
    Vec3 point(size_t limb, size_t which, double t_s) const;
    Vec3 hips(double t_s) const;
    /// Of the newest and oldest that are there.
    double first_s() const { return at(0).t_s; }
    double last_s() const { return at(size() - 1).t_s; }
    void clear();
    /// The program's place map has changed.
    void ask_anew();

  private:
    const Program& program_;
    const Skeleton& source_;
    const double kept_s_;
    std::vector<Moment> pool_;
    std::vector<int> order_, free_;
    int now_ = -1;
    std::vector<Quat> T_R_;
    std::vector<Vec3> T_p_;
    void ask(Moment& moment);
    /// The moment at or before a time, and how far it is to the next one, 0..1.
    std::pair<int, double> between(double t_s) const;
};

}  // namespace nb
