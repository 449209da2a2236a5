#include "core/base/watch.hpp"

#include <stdexcept>
#include <utility>

namespace nb {

namespace {
thread_local const Watch* watch_here = nullptr;
}

void Watch::look(double done) const {
    if (tell_ && !tell_(done)) throw std::runtime_error("cancelled");
}

Watch Watch::part(double from, double share) const {
    if (!tell_) return {};
    return Watch([tell = tell_, from, share](double done) { return tell(from + share * done); });
}

WatchedWork::WatchedWork(Watch watch)
    : watch_(std::move(watch)), outer_(std::exchange(watch_here, &watch_)) {}

WatchedWork::~WatchedWork() {
    watch_here = outer_;
}

void look_up(double done) {
    if (watch_here) watch_here->look(done);
}

}  // namespace nb
