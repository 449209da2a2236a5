// When a frame is due: senders' frames come unevenly, and are shown evenly a set time later.
//
//   due(sent) = sent + offset + length,   offset = least of (arrived - sent) over the last 5 to 10 s
//
// so the quickest way here counts, and a packet that takes up to `length` longer is still in time (a playout buffer as
// common practice has it). Where none has been in time for half a second the sender's clock stood still for a while (it was
// held up and goes on from there): the offset is taken anew of those that were late. With it the account of what came: late, twice, out of order, missing, over the last second.
#pragma once
#include <array>
#include <deque>
#include <optional>

namespace nb {

class JitterBuffer {
  public:
    explicit JitterBuffer(double length_s = 0.05) : length_s_(length_s) {}
    void set_length(double length_s) { length_s_ = length_s; }
    double length_s() const { return length_s_; }

    enum class Came { in_time, late, twice, anew };
    /// anew: the sender's clock or numbers begin anew (over 2 s back, or over 10 s ahead); all is forgotten first.
    Came arrive(long number, double sent_s, double arrived_s);
    /// The sender's time that is to be shown now.
    double due_s(double now_s) const { return now_s - offset_s_ - length_s_; }
    /// When a frame is to be shown, on this program's clock.
    double shown_at_s(double sent_s) const { return sent_s + offset_s_ + length_s_; }
    bool has_begun() const { return has_begun_; }

    /// Of the last second up to `now_s`.
    struct Account {
        int came = 0, late = 0, twice = 0, swapped = 0, missing = 0;
        double fps = 0.0;       ///< by the sender's clock
        double spread_s = 0.0;  ///< the slowest packet's way beside the quickest
        /// Of what was sent: did not come, or came too late.
        double lost_share() const {
            const int sent = came - twice + missing;
            return sent > 0 ? double(late + missing) / sent : 0.0;
        }
    };
    Account account(double now_s) const;
    /// Lateness beside the quickest packet's, s, of those of the last second: for the lane.
    struct Arrival {
        long number = 0;
        double sent_s = 0.0, arrived_s = 0.0, behind_s = 0.0;
        Came came = Came::in_time;
        bool is_swapped = false;
        int missing_before = 0;  ///< numbers that were skipped when it came
    };
    const std::deque<Arrival>& arrivals() const { return arrivals_; }
    void clear();

  private:
    void take_late(Arrival& arrival, double way);

    static constexpr double look_s = 5.0, kept_s = 6.0, all_late_s = 0.5;
    static constexpr size_t most_kept = 4096;
    double length_s_;
    bool has_begun_ = false;
    double offset_s_ = 0.0;
    std::array<double, 2> least_{};  ///< of the last 5 s, and of the 5 s before
    double bucket_from_s_ = 0.0;
    int late_ = 0;                                   ///< one after the other
    double late_from_s_ = 0.0, late_least_s_ = 0.0;  ///< the first of them came; the least of their ways
    long newest_ = -1;
    double newest_sent_s_ = 0.0;
    std::deque<Arrival> arrivals_;
};

}  // namespace nb
