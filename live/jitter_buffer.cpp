#include "live/jitter_buffer.hpp"

#include <algorithm>
#include <tuple>

namespace nb {

namespace {

constexpr double back_s = 2.0, ahead_s = 10.0;
constexpr int least_late = 5;

}  // namespace

void JitterBuffer::clear() {
    has_begun_ = false;
    late_ = 0;
    newest_ = -1;
    arrivals_.clear();
}

JitterBuffer::Came JitterBuffer::arrive(long number, double sent_s, double arrived_s) {
    bool is_anew = false;
    if (has_begun_ && (sent_s < newest_sent_s_ - back_s || sent_s > newest_sent_s_ + ahead_s)) {
        clear();
        is_anew = true;
    }
    const double way = arrived_s - sent_s;
    if (!has_begun_) {
        has_begun_ = true;
        least_ = {way, way};
        bucket_from_s_ = arrived_s;
        newest_ = number - 1;
        newest_sent_s_ = sent_s;
    }
    if (arrived_s - bucket_from_s_ > look_s) {
        least_ = {way, least_[0]};
        bucket_from_s_ = arrived_s;
    }
    least_[0] = std::min(least_[0], way);
    offset_s_ = std::min(least_[0], least_[1]);

    Arrival arrival;
    arrival.number = number;
    arrival.sent_s = sent_s;
    arrival.arrived_s = arrived_s;
    arrival.behind_s = way - offset_s_;
    // Those of one number lie close together.
    size_t looked = 0;
    for (auto it = arrivals_.rbegin(); it != arrivals_.rend() && looked < 512; ++it, ++looked)
        if (it->number == number) arrival.came = Came::twice;
    if (arrival.came != Came::twice) take_late(arrival, way);
    if (number > newest_) {
        arrival.missing_before = int(std::min(number - newest_ - 1, 1000L));
        newest_ = number;
        newest_sent_s_ = std::max(newest_sent_s_, sent_s);
    } else if (arrival.came != Came::twice) {
        arrival.is_swapped = true;
        // It was counted as missing when the one after it came.
        for (auto it = arrivals_.rbegin(); it != arrivals_.rend(); ++it)
            if (it->number > number && it->missing_before > 0 && it->number - it->missing_before <= number) {
                --it->missing_before;
                break;
            }
    }
    arrivals_.push_back(arrival);
    while (arrivals_.size() > most_kept || arrivals_.front().arrived_s < arrived_s - kept_s)
        arrivals_.pop_front();
    return is_anew ? Came::anew : arrival.came;
}

void JitterBuffer::take_late(Arrival& arrival, double way) {
    if (arrival.behind_s <= length_s_) {
        late_ = 0;
        return;
    }
    arrival.came = Came::late;
    if (late_++ == 0) {
        late_from_s_ = arrival.arrived_s;
        late_least_s_ = way;
    }
    late_least_s_ = std::min(late_least_s_, way);
    if (late_ < least_late || arrival.arrived_s - late_from_s_ < all_late_s) return;
    least_ = {late_least_s_, late_least_s_};
    offset_s_ = late_least_s_;
    bucket_from_s_ = arrival.arrived_s;
    late_ = 0;
}

JitterBuffer::Account JitterBuffer::account(double now_s) const {
    Account account;
    double first_sent = 0.0, last_sent = 0.0;
    long first = 0, last = 0;
    for (auto it = arrivals_.rbegin(); it != arrivals_.rend() && it->arrived_s > now_s - 1.0; ++it) {
        if (account.came++ == 0) {
            last_sent = first_sent = it->sent_s;
            last = first = it->number;
        }
        if (it->number > last) std::tie(last, last_sent) = std::tuple{it->number, it->sent_s};
        if (it->number < first) std::tie(first, first_sent) = std::tuple{it->number, it->sent_s};
        account.late += it->came == Came::late ? 1 : 0;
        account.twice += it->came == Came::twice ? 1 : 0;
        account.swapped += it->is_swapped ? 1 : 0;
        account.missing += it->missing_before;
        account.spread_s = std::max(account.spread_s, it->behind_s);
    }
    if (last_sent > first_sent) account.fps = double(last - first) / (last_sent - first_sent);
    return account;
}

}  // namespace nb
