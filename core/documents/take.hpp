// *.take.json: what is said of a motion file.
#pragma once
#include <string>
#include <vector>

#include "core/documents/format.hpp"
#include "core/intake/load.hpp"

namespace nb {

struct TakeDocument {
    std::string id;
    std::string file;  ///< beside the document
    std::string character_id, character_path;
    std::string frame_time_text;
    int frames = 0;
    int first_motion_frame = 0;
    int trim_first = 0;
    int trim_last = 0;  ///< not included
    int animation = 0;  ///< of a file that holds several, from 1; 0: it holds one
    std::string notes;
    /// What the motion file does not say itself; 0 and empty: as the reader finds it.
    double unit_m = 0.0;
    std::string up, facing;
    std::vector<StagePiece> pieces;  ///< `path` as in the document, relative to it
    std::vector<StreamGap> gaps;     ///< of the recording of a stream
    std::vector<StreamMark> marks;
    Json other;
};
Json take_document(const TakeDocument& take);
TakeDocument read_take_document(const Json& document, const std::string& path);

/// The document of a take: the one it was read with, else a new one, with trim, unit, axes, repairs and
/// contacts as they are in force. `path` names it.
Json changed_take_document(const LoadedFile& file, const std::string& path);

}  // namespace nb
