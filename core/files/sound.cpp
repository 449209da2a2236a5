#include "core/files/sound.hpp"

#include <fmt/format.h>
#include <sndfile.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"

namespace nb {

namespace {

constexpr double longest_s = 3 * 3600.0;
constexpr int most_channels = 64;

struct Close {
    void operator()(SNDFILE* file) const { sf_close(file); }
};
using File = std::unique_ptr<SNDFILE, Close>;

/// A .wav in memory, as libsndfile writes it: files are written whole by this program's own writer.
struct Memory {
    std::string bytes;
    size_t at = 0;
};
SF_VIRTUAL_IO memory_io() {
    SF_VIRTUAL_IO io{};
    io.get_filelen = [](void* user) { return sf_count_t(static_cast<Memory*>(user)->bytes.size()); };
    io.seek = [](sf_count_t offset, int whence, void* user) {
        auto& memory = *static_cast<Memory*>(user);
        const sf_count_t from = whence == SEEK_SET   ? 0
                                : whence == SEEK_CUR ? sf_count_t(memory.at)
                                                     : sf_count_t(memory.bytes.size());
        memory.at = size_t(std::max<sf_count_t>(0, from + offset));
        return sf_count_t(memory.at);
    };
    io.read = [](void* to, sf_count_t count, void* user) {
        auto& memory = *static_cast<Memory*>(user);
        if (memory.at >= memory.bytes.size()) return sf_count_t(0);
        const size_t now = std::min(size_t(count), memory.bytes.size() - memory.at);
        std::copy_n(memory.bytes.data() + memory.at, now, static_cast<char*>(to));
        memory.at += now;
        return sf_count_t(now);
    };
    io.write = [](const void* from, sf_count_t count, void* user) {
        auto& memory = *static_cast<Memory*>(user);
        if (memory.bytes.size() < memory.at + size_t(count)) memory.bytes.resize(memory.at + size_t(count));
        std::copy_n(static_cast<const char*>(from), size_t(count), memory.bytes.data() + memory.at);
        memory.at += size_t(count);
        return count;
    };
    io.tell = [](void* user) { return sf_count_t(static_cast<Memory*>(user)->at); };
    return io;
}

}  // namespace

Sound read_sound(const std::string& path) {
    Memory memory{read_file(path), 0};
    SF_VIRTUAL_IO io = memory_io();
    SF_INFO info{};
    const File file(sf_open_virtual(&io, SFM_READ, &info, &memory));
    if (!file) throw FileError(path, "is no sound that can be read", "give a .wav, .flac, .ogg or .aiff");
    if (info.frames <= 0 || info.samplerate <= 0 || info.channels <= 0 || info.channels > most_channels)
        throw FileError(path, "holds no sound", "record it again");
    if (double(info.frames) / info.samplerate > longest_s)
        throw FileError(path,
                        fmt::format("is {:.1f} hours long", double(info.frames) / info.samplerate / 3600.0),
                        "give at most three hours");
    Sound sound;
    sound.rate = info.samplerate;
    sound.channels = info.channels;
    // Read in steps: what a header promises need not be there.
    std::vector<float> step(size_t(info.channels) * 65536);
    for (;;) {
        const sf_count_t got = sf_readf_float(file.get(), step.data(), 65536);
        if (got <= 0) break;
        sound.samples.insert(sound.samples.end(), step.begin(), step.begin() + got * info.channels);
    }
    for (float& sample : sound.samples)
        if (!std::isfinite(sample)) sample = 0.0F;
    if (sound.samples.empty()) throw FileError(path, "holds no sound", "record it again");
    return sound;
}

void write_wave(const std::string& path, const Sound& sound) {
    Memory memory;
    SF_VIRTUAL_IO io = memory_io();
    SF_INFO info{};
    info.samplerate = sound.rate;
    info.channels = sound.channels;
    info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_16;
    {
        const File file(sf_open_virtual(&io, SFM_WRITE, &info, &memory));
        if (!file)
            throw FileError(path, "cannot be written as .wav", "look at the sound's rate and channels");
        sf_command(file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
        sf_writef_float(file.get(), sound.samples.data(),
                        sf_count_t(sound.samples.size() / size_t(sound.channels)));
    }
    write_file(path, memory.bytes);
}

Sound cut_sound(const Sound& sound, double from_s, double length_s) {
    Sound cut;
    cut.rate = sound.rate;
    cut.channels = sound.channels;
    const auto frames = std::int64_t(sound.samples.size() / size_t(sound.channels));
    const auto first = std::int64_t(std::llround(from_s * sound.rate));
    const auto count = std::int64_t(std::llround(std::max(0.0, length_s) * sound.rate));
    cut.samples.assign(size_t(count) * size_t(sound.channels), 0.0F);
    const std::int64_t begin = std::max<std::int64_t>(0, -first), end = std::min(count, frames - first);
    if (begin < end)
        std::copy_n(sound.samples.begin() + (first + begin) * sound.channels, (end - begin) * sound.channels,
                    cut.samples.begin() + begin * sound.channels);
    return cut;
}

std::pair<float, float> peak(const Sound& sound, double from_s, double to_s) {
    const auto frames = std::int64_t(sound.samples.size() / size_t(std::max(1, sound.channels)));
    const auto first = std::clamp<std::int64_t>(std::int64_t(std::floor(from_s * sound.rate)), 0, frames);
    const auto last = std::clamp<std::int64_t>(std::int64_t(std::ceil(to_s * sound.rate)), first, frames);
    if (first == last) return {0.0F, 0.0F};
    const auto [low, high] = std::minmax_element(sound.samples.begin() + first * sound.channels,
                                                 sound.samples.begin() + last * sound.channels);
    return {*low, *high};
}

}  // namespace nb
