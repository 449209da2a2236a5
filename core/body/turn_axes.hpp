// By which axes a turn or a shift is given: of the bone, of the bone above, of the body's heading, of the world.
#pragma once

namespace nb {

enum class TurnAxes { bone, parent, body, world };

}  // namespace nb
