// What goes on beside a body while it is carried in a scene (core/scene): where its hands have to be on other bodies, where
// things are that others hold, too, and the bodies it must not run into. Tracks along time, in the target's world.
#pragma once
#include <cstddef>
#include <memory>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/solve/hand_span.hpp"
#include "core/surface/surface.hpp"

namespace nb {

struct RigidTrack {
    double from_s = 0.0, frame_time_s = 1.0 / 60.0;
    std::vector<Rigid> X;  ///< not empty

    /// Between two frames straight, on the shortest way; at its ends it stands.
    Rigid at(double t_s) const;
};

struct Beside {
    /// The hand's joint over a span in which it lies on another body.
    struct Hand {
        size_t limb = 0;  ///< of `limb_names`
        HandSpan when;
        RigidTrack X_WH;
        bool is_on_arm = false;  ///< hands on each other
    };
    struct Thing {
        /// A hand that holds it from a time on, and by how much longer it is led there and away.
        struct Lead {
            size_t limb = 0;  ///< of `limb_names`
            double from_s = 0.0, more_in_s = 0.0, more_out_s = 0.0;
        };
        int S_thing = -1;  ///< joint of the source
        RigidTrack X_WT;
        std::vector<Lead> leads;
    };
    /// Another body, as its source went and as its target goes.
    struct Neighbour {
        std::shared_ptr<const BodySurface> S, T;
        std::shared_ptr<const WorldMotion> source, target;
        double ahead_s = 0.0;  ///< what its take's clock is ahead of this one's
    };
    std::vector<Hand> hands;
    std::vector<Thing> things;
    std::vector<Neighbour> neighbours;
    bool is_empty() const { return hands.empty() && things.empty() && neighbours.empty(); }

    const RigidTrack* thing(int S_thing) const;
};

}  // namespace nb
