// Scene: several casts on one clock and one floor.
#pragma once
#include "app/stations/station.hpp"
#include "core/math/rotation.hpp"

namespace nb {

class SceneEdits;
class SceneLanes;
class ScenePanel;

class SceneStation : public Station {
    Q_OBJECT

  public:
    explicit SceneStation(const StationContext& context);
    int open_points() const override;
    std::vector<StationAction> actions() override;
    void enter() override;
    void leave() override;
    SceneEdits& edits() { return *edits_; }

    /// What the stage's handle does to the cast in hand.
    enum class Handle { none, move, turn };
    void set_handle(Handle handle);

  private:
    const StationContext context_;
    SceneEdits* edits_;
    ScenePanel* panel_;
    SceneLanes* lanes_;
    bool is_entered_ = false;
    Handle handle_ = Handle::none;
    int topic_ = 0;
    Vec3 at_before_m_ = Vec3::Zero();
    double turn_before_deg_ = 0.0;

    void next_cast();
    void show_handle();
};

}  // namespace nb
