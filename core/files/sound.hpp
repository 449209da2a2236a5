// Sound that was recorded with a take: read whole, cut, drawn as peaks. What libsndfile reads: .wav, .flac, .ogg, .aiff.
#pragma once
#include <string>
#include <utility>
#include <vector>

namespace nb {

struct Sound {
    int rate = 0;  ///< samples a second and channel
    int channels = 0;
    std::vector<float> samples;  ///< interleaved, -1 .. 1
    double length_s() const {
        return rate > 0 && channels > 0 ? double(samples.size()) / channels / rate : 0.0;
    }
};

/// Throws FileError for what is no sound, is empty, or is longer than three hours.
Sound read_sound(const std::string& path);
/// 16 bits PCM in a .wav (RIFF). Throws FileError.
void write_wave(const std::string& path, const Sound& sound);
/// From `from_s` for `length_s`; silence where there is none.
Sound cut_sound(const Sound& sound, double from_s, double length_s);
/// Least and largest sample of all channels between two times; 0, 0 where there is none.
std::pair<float, float> peak(const Sound& sound, double from_s, double to_s);

}  // namespace nb
