// The commands of nbone. Each returns the exit code; bad input is thrown as FileError, wrong use as WrongUse.
#pragma once
#include <optional>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

#include "core/library/library.hpp"
#include "core/solve/settings.hpp"

namespace nb {
struct OpenScene;
}

namespace nb::cli {

inline constexpr int exit_done = 0;
inline constexpr int exit_wrong_use = 2;
inline constexpr int exit_bad_input = 3;
inline constexpr int exit_unsure_roles = 4;
inline constexpr int exit_stale = 5;

struct WrongUse : std::runtime_error {
    using std::runtime_error::runtime_error;
};

struct Options {
    std::string file, out, roles, take, target, source_character, target_character, pairing, passes, frames,
        review, view, plan, apply, vrm, iso, stance, fingers, spread_fingers, thumb, clavicles, spine,
        as_rest, against, touch_up, library, travel, reduce, about, scene, shard, verb, name, source,
        performer, record, send, finish;
    std::string theme = "ink";
    std::string body_look = "mesh";
    std::optional<double> fps;
    std::optional<double> spread;
    double buffer_ms = 50.0, seconds = 0.0;
    bool may_leave_machine = false;  ///< streams: addresses beyond this machine
    bool is_until_end = false;       ///< until the stream stops
    int threads = 0;
    int jobs = 1;  ///< at a time
    int frame = 0;
    bool ignore_names = false;
    int animation = 1;  ///< counted from 1
    bool as_json = false;
    bool verbose = false;
    bool has_root_track = false;
    bool has_no_touch_up = false;  ///< those kept with pair and body are left out
    bool is_forced = false;        ///< existing files may be written over
    bool is_plan_asked = false;    ///< tell what a batch would do
    bool is_dry = false;           ///< list what would be written, write nothing
    bool is_stale_asked = false;   ///< the file is a report: which of its files are stale
    bool has_stance_first = false;
    bool starts_at_origin = false;
    bool may_curve = false;
    bool take_in = false;  ///< the newer rig is put in force
    std::vector<std::string> takes, characters, set, files, by, parts;
};

/// "root,angles": those to run, the others left out.
Passes parse_passes(const std::string& text);
/// All, with commas between.
std::string pass_names();
/// What --pairing and --passes say of a pair. Throws FileError, WrongUse.
PairingSettings pairing_settings(const Options& options);

/// A scene with the targets that --set CAST=TARGET gives. Throws WrongUse, FileError.
OpenScene opened_scene(const std::string& path, const Options& options);
/// The library an order or plan is kept with: the folder above it, else the one given. Throws WrongUse.
std::string library_of(const Options& options);

int inspect(const Options& options);
int characterize(const Options& options);
int align(const Options& options);
int transfer(const Options& options);
int map_bones(const Options& options);
int review_table(const Options& options);
int limber(const Options& options);
int hand_over(const Options& options);
int join(const Options& options);
int controls(const Options& options);
int picture(const Options& options);
int scene(const Options& options);
int batch(const Options& options);
int coverage(const Options& options);
int compare_rigs(const Options& options);
int family(const Options& options);
int takes(const Options& options);
int listen(const Options& options);

/// The character of a library that a rig is of, with the library; null when it is of none.
std::optional<std::pair<Library, LibraryEntry>> character_of_library(const std::string& rig);

}  // namespace nb::cli
