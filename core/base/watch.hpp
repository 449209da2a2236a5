// Long work asks now and then whether it is still wanted, and tells how far it is.
#pragma once
#include <functional>

namespace nb {

/// Asked between pieces of work; throws std::runtime_error("cancelled") when told to stop.
class Watch {
  public:
    Watch() = default;
    explicit Watch(std::function<bool(double done)> tell) : tell_(std::move(tell)) {}
    /// `done` of the pass that runs, 0..1.
    void look(double done) const;
    /// The same with what is done before a pass and with what it is of the whole.
    Watch part(double from, double share) const;

  private:
    std::function<bool(double)> tell_;
};

/// While it lives, what this thread reads and measures asks `watch`: readers, the finding of roles, the review. They
/// lie too deep to be handed it one by one. Scopes nest; the inner one counts.
class WatchedWork {
  public:
    explicit WatchedWork(Watch watch);
    ~WatchedWork();
    WatchedWork(const WatchedWork&) = delete;
    WatchedWork& operator=(const WatchedWork&) = delete;

  private:
    Watch watch_;
    const Watch* outer_;
};

/// Asks the watch of this thread, when there is one. `done`: of the whole piece of work, 0..1, as near as is known.
void look_up(double done);

}  // namespace nb
