// The feet as the review sees them, by eyes of its own: which points of a body can stand, and where they are in
// a motion. Read from rest and mesh by other code than the solve's soles (core/contact/sole.hpp), so that a
// wrong sole there is seen here.
#pragma once
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// A point of an end that can stand: where it is seen from a joint, and how far straight below that it touches.
struct StandingPoint {
    std::string name;  ///< "heel.left", "ball.right", "toetip.left", "hindpaw.left", "forepaw.right"
    int joint = -1;
    Vec3 at_J = Vec3::Zero();  ///< in the joint's frame, m
    double below_m = 0.0;
    bool rests = true;  ///< windows are looked for; a toe tip is only kept above the floor

    Vec3 in(const WorldMotion& motion, int frame) const {
        const size_t j = motion.at(frame, joint);
        return motion.p[j] + motion.R[j] * at_J - below_m * Vec3::UnitY();
    }
};

/// One end of a limb with its points.
struct StandingEnd {
    std::string name;  ///< "foot.left", "forepaw.right"
    std::vector<StandingPoint> points;
    const StandingPoint* point(const std::string& named) const;
};

/// Feet: the heel where the mesh of the foot ends behind (else at 0.53 of the way ankle to ball, behind the
/// ankle; common practice), the ball straight below the joint of the toes, the tip at the end of the toes. On
/// four legs the pad of each paw, straight below its last joint. In the aligned rest all lie on y = 0.
std::vector<StandingEnd> standing_ends(const Character& character);

}  // namespace nb
