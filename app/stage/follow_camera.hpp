// What the camera of the stage follows, and how much of it is seen: hips smoothed over half a second, a box
// around each body.
#pragma once
#include <QSize>
#include <vector>

#include "draw/camera.hpp"

namespace nb {

/// A shown body around a frame, averaged so that the camera does not bob.
struct FollowedBody {
    Vec3 hips_m = Vec3::Zero();  ///< as shown
    double stature_m = 0.0;
    double risen_m = 0.0;  ///< how much higher than standing on the floor: on steps
    double wide_m = 0.0;   ///< half of what the body takes sideways
};

/// Between the bodies, at half the height of the tallest.
Vec3 followed_point(const std::vector<FollowedBody>& bodies);
/// Moves focus and span so that a box around each body is seen with some air, beside a column of
/// `column_px` at the right that stays free. The focus must be near them already.
void fit_bodies(Camera& camera, const std::vector<FollowedBody>& bodies, const QSize& view, int column_px);

}  // namespace nb
