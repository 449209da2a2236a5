// Where hands have to be so that bodies of a scene touch each other as their sources do, and where things are that several
// hold; from how the bodies stood a round before.
//
// Hand on another body, a frame: with x its point in the source and b the other's part, (s, phi, cap, h) of x on b's surface
// there; the goal is the point of the same place on the other target's part, h by how thick the parts are. The hand is turned
// by log(L_T L_S^T), L how the skin lies, as on the own body (core/solve/near.hpp), and brought off or onto it by the whole
// hand. Where the arm does not reach that place (0.935 of its length, from where its shoulder is alone) over the whole touch, it
// lies on the place of the other's skin that is nearest to it and that the arm does reach, and this is told.
//
// Two hands on each other meet half way: with m the middle between where both points are as the bodies are alone and d what lies
// between them in the sources, m + d/2 and m - d/2, the longer hand lying back by 0.5 of what it is longer, then brought off or onto
// each other by the whole hands, half each. Where the meshes then touch and one hand still lies more than 15 mm farther out than the
// other (its fingers on the other's forearm), hands are tilted about where they touch, the longer first, by the tilt of 0.1 to 0.4 rad
// that leaves the least over the whole touch. Both are moved off the trunks, heads and thighs of both bodies, no deeper in them than the
// sources, and toward the shoulder of an arm that is too short, until both reach. Arms bend to their hands meanwhile.
//
// A thing that several bodies hold, with u how far the hands of each have it and X where they do, alone:
//   p = sum u p_i / sum u,   R likewise;   nobody: the place map's;   moved toward who does not reach it
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/scene/touches.hpp"
#include "core/solve/beside.hpp"
#include "core/solve/engine.hpp"

namespace nb {

/// What is known of a scene while it is carried.
struct SceneState {
    std::span<const Cast> casts;
    std::span<const CastSkins> skins;
    const std::vector<BodyTouch>& touches;
    std::vector<TransferResult>& results;  ///< of the round before
    std::vector<WorldMotion> alone;        ///< targets as they are by themselves
};

/// What goes on beside each cast.
struct SceneBeside {
    std::vector<std::shared_ptr<const Beside>> of_casts;  ///< null: nothing does
    /// Joints (cast, and of its target) that goals go by beside how all are alone: when these do not move goals stay as they
    /// are.
    std::vector<std::pair<size_t, int>> relied;
    std::vector<std::string> notes;  ///< what could not be reached, a sentence each
};
SceneBeside beside_of(const SceneState& state);

}  // namespace nb
