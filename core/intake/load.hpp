// Loading any file with a skeleton: reads it, finds the body in it, and brings it into the world's unit,
// axes and facing. What the file's own conventions were is remembered for export.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/files/skeleton_file.hpp"
#include "core/intake/travel.hpp"
#include "core/motion/edit.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// A thing that stands on the stage beside the bodies of a take: a crate that is carried, the steps.
struct StagePiece {
    std::string path;          ///< a file with a mesh, its ground at y = 0
    std::string joint;         ///< the take's joint that carries it; empty: it stands still
    Vec3 at_m = Vec3::Zero();  ///< where it stands, in the source's world
    bool is_ground = false;    ///< shared by all bodies: never scaled
};

/// What a stream's recording is told of: frames that never came and are bridged, marks made while it came. Frames of the
/// file.
struct StreamGap {
    int first = 0, last = 0;  ///< last: not included
    bool operator==(const StreamGap&) const = default;
};
struct StreamMark {
    int frame = 0;
    std::string word;
    bool operator==(const StreamMark&) const = default;
};

/// A document as it was when it was read; both empty when there was none.
struct ReadDocument {
    std::string path, text;
};

struct LoadedFile {
    Character character;
    std::optional<Take> take;  ///< absent when the file holds no motion
    int file_frames = 0;       ///< frames of the file before trimming and resampling
    double file_fps = 0.0;
    std::optional<Standing> standing;  ///< of the take, when it was looked at (core/intake/travel.hpp)
    int bridged = 0;                   ///< breaks that were led through
    std::vector<StagePiece> pieces;
    std::vector<StreamGap> gaps;
    std::vector<StreamMark> marks;
    std::vector<std::string> animations;  ///< names of all the file holds; `take` is one of them
    /// Contacts by hand as the file itself counts: frames before trim and resampling, heights in its own unit
    /// and lengths. `take->contacts` are those within the trim, in force.
    Contacts contacts_in_file;
    ReadDocument character_document, take_document;
    /// Of a body of a file with several that has no document of its own yet: the text of that of all.
    std::string document_of_all;
};

/// How frames of its take in force lie in the file.
FileFrames frames_in_file(const LoadedFile& file);

/// Throws FileError with one line saying where, what and what to do.
LoadedFile load_file(const std::string& path, const LoadOptions& options = {});
/// As load_file, from BVH text in memory. `path` names it.
LoadedFile load_bvh(std::string_view text, const std::string& path, const LoadOptions& options = {});

/// What every reader's result goes through: finds the body, brings it into the world, aligns its rest.
/// `format` is "bvh" or "glb"; the latter is in metres.
LoadedFile load_parsed(SkeletonFile file, const std::string& path, const std::string& format,
                       const LoadOptions& options = {});

}  // namespace nb
