// A stream as it came, on disk before anything else is done with it; and the take that is made of it.
//
//   NAME.live.bvh   the hierarchy, and every frame in the order of its arrival
//   NAME.live.csv   a line a frame: number, the sender's seconds, seconds of arrival; marks with their word
//
// Each frame is given to the system as it comes: a program that is killed loses what it had not been given, a power cut
// the last moment. The take has the frames by their numbers, each once; numbers that never came are gaps: bridged (slerp,
// linear) so that it plays, marked so that it is told.
#pragma once
#include <string>
#include <vector>

#include "core/intake/load.hpp"
#include "live/stream.hpp"

namespace nb {

class Recording {
  public:
    /// `stem`: path without ending; what is there already is never written over. Throws FileError.
    Recording(const std::string& stem, const std::string& performer, const StreamSkeleton& skeleton);
    ~Recording();
    Recording(const Recording&) = delete;
    Recording& operator=(const Recording&) = delete;

    /// False, once and for all, when the disk takes no more: `fault` says why.
    bool add(const StreamFrame& frame);
    /// At the newest frame that came.
    void mark(const std::string& word);
    void close();
    long frames() const { return frames_; }
    const std::string& fault() const { return fault_; }
    const std::string& stem() const { return stem_; }

  private:
    std::string stem_, fault_;
    int motion_ = -1, times_ = -1;
    long frames_ = 0;
    long last_number_ = 0;
    double last_sent_s_ = 0.0;
    std::string text_;
    bool give(int file, std::string_view text, const std::string& path);
};

/// What became of a recording.
struct RecordedTake {
    std::string path, document;  ///< of the take
    int frames = 0;
    double fps = 0.0;
    std::vector<StreamGap> gaps;
    std::vector<StreamMark> marks;
    int twice = 0, out_of_order = 0;
    std::vector<std::string> notes;
};
/// Makes STEM.bvh and STEM.take.json of STEM.live.bvh and STEM.live.csv, whole or cut off, and keeps both.
/// `character`: of the body it was captured on, its id and path; may be empty. Throws FileError.
RecordedTake take_of_recording(const std::string& stem, const std::string& character_id = {},
                               const std::string& character_path = {});
/// Recordings in a folder that no take was made of: their stems.
std::vector<std::string> unfinished_recordings(const std::string& folder);

}  // namespace nb
