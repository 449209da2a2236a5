// Reading back what was handed over.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <map>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/files/scene/scene.hpp"
#include "core/handover/scene_write.hpp"
#include "core/handover/write.hpp"

namespace nb {

namespace {

/// What was read, in the world of the program.
struct ReadBack {
    std::vector<std::string> names;
    std::vector<int> parents;  ///< where places are those of roots alone
    WorldMotion motion;
    bool has_turns = true;
    bool has_places = true;  ///< else those of roots alone
};

ReadBack read_skeleton(const SkeletonFile& file, const Quat& R_WF, double unit_m) {
    ReadBack back;
    back.names = file.skeleton.names;
    back.motion = forward_kinematics(file.skeleton, file.take);
    back.motion.frame_time_s = file.take.frame_time_s;
    const Quat R_FW = R_WF.conjugate();
    for (Vec3& p : back.motion.p) p = unit_m * (R_WF * p);
    for (Quat& R : back.motion.R) R = R_WF * R * R_FW;
    return back;
}

/// Splits at commas outside quotes.
std::vector<std::string_view> cells_of(std::string_view line) {
    std::vector<std::string_view> cells;
    size_t from = 0;
    bool is_quoted = false;
    for (size_t i = 0; i <= line.size(); ++i) {
        if (i < line.size() && line[i] == '"') is_quoted = !is_quoted;
        if (i < line.size() && (line[i] != ',' || is_quoted)) continue;
        cells.push_back(line.substr(from, i - from));
        from = i + 1;
    }
    return cells;
}
double number(std::string_view cell, const std::string& path, size_t line) {
    double value = 0.0;
    const auto [end, error] = std::from_chars(cell.data(), cell.data() + cell.size(), value);
    if (error != std::errc() || end != cell.data() + cell.size())
        throw FileError(path, fmt::format("line {}: '{}' is no number", line, cell), "write the table again");
    return value;
}

ReadBack read_table(const std::string& path) {
    const std::string text = read_file(path);
    ReadBack back;
    std::vector<std::array<double, 9>> rows;  // frame, time, place, turn
    size_t at = text.find("\r\n"), line = 1;
    while (at != std::string::npos && at + 2 < text.size()) {
        const size_t end = text.find("\r\n", at + 2);
        const auto cells = cells_of(std::string_view(text).substr(at + 2, end - at - 2));
        ++line;
        if (cells.size() != 10)
            throw FileError(path, fmt::format("line {} has not ten cells", line), "write it again");
        std::array<double, 9> row{};
        for (size_t i = 0; i < 9; ++i) row[i] = number(cells[i < 2 ? i : i + 1], path, line);
        if (row[0] == 0.0) {
            std::string name(cells[2].substr(1, cells[2].size() - 2));
            for (size_t q = name.find("\"\""); q != std::string::npos; q = name.find("\"\"", q + 1))
                name.erase(q, 1);
            back.names.push_back(std::move(name));
        }
        rows.push_back(row);
        at = end;
    }
    if (back.names.empty()) return back;
    back.motion.resize(int(rows.size() / back.names.size()), int(back.names.size()));
    for (size_t i = 0; i < back.motion.p.size(); ++i) {
        const auto& r = rows[i];
        back.motion.p[i] = {r[2], r[3], r[4]};
        back.motion.R[i] = Quat(r[8], r[5], r[6], r[7]).normalized();
    }
    if (back.motion.frames > 1)
        back.motion.frame_time_s = (rows.back()[1] - rows.front()[1]) / (back.motion.frames - 1);
    return back;
}

ReadBack read_back(const std::string& path, const Handed& handed) {
    const std::string ending = std::filesystem::path(path).extension().string();
    const FileConventions& own = handed.character.rig.conventions;
    if (ending == ".csv") return read_table(path);
    if (ending == ".bvh") {
        ReadBack back = read_skeleton(read_bvh(path), own.R_WF, own.unit_m);
        back.has_turns = false;  // against the bones' own axes: re-framed
        return back;
    }
    if (ending == ".fbx" || ending == ".dae") {
        const SkeletonFile file = read_scene(path);
        return read_skeleton(file, Quat::Identity(), file.unit_m > 0.0 ? file.unit_m : 1.0);
    }
    // The last animation is the one that was added.
    SkeletonFile file = read_gltf(path);
    if (const size_t count = file.animations.size(); count > 1) file = read_gltf(path, int(count) - 1);
    const bool is_own = ending == ".glb" && !handed.character.rig.nodes.empty();
    if (ending == ".vrma") {
        // Bones in between are not in it: places are those of the body it is played on.
        ReadBack back = read_skeleton(file, Quat::Identity(), 1.0);
        back.has_places = false;
        back.parents = file.skeleton.parents;
        return back;
    }
    return is_own ? read_skeleton(file, own.R_WF, own.unit_m) : read_skeleton(file, Quat::Identity(), 1.0);
}

}  // namespace

Proof prove(const std::string& path, const Handed& handed) {
    const ReadBack back = read_back(path, handed);
    const WorldMotion& shown = handed.motion;
    const Skeleton& skeleton = handed.character.rig.skeleton;
    Proof proof;
    std::map<std::string, int> found;
    for (size_t i = 0; i < back.names.size(); ++i) found.emplace(back.names[i], int(i));
    std::vector<std::pair<int, int>> joints;
    std::vector<std::string> names = skeleton.names;
    if (path.ends_with(".bvh")) names = bvh_names(names);
    if (path.ends_with(".dae")) names = dae_names(names);
    for (int j = 0; j < skeleton.size(); ++j) {
        const auto at = found.find(names[size_t(j)]);
        if (at == found.end())
            proof.missing.push_back(skeleton.names[size_t(j)]);
        else
            joints.emplace_back(j, at->second);
    }
    proof.joints = int(joints.size());
    for (int f = 0; f < back.motion.frames; ++f) {
        // A reader samples at its own distance of keys: frames that both have.
        const double at = f * back.motion.frame_time_s / shown.frame_time_s;
        const int frame = int(std::lround(at));
        if (frame >= shown.frames || std::abs(at - frame) > 0.02) continue;
        ++proof.frames;
        for (const auto& [j, other] : joints) {
            const size_t a = shown.at(frame, j), b = back.motion.at(f, other);
            const bool has_place = back.has_places || back.parents[size_t(other)] < 0;
            if (const double off = (shown.p[a] - back.motion.p[b]).norm();
                has_place && !(off <= proof.place_m)) {
                proof.place_m = off;
                proof.place_joint = skeleton.names[size_t(j)];
                proof.place_frame = frame;
            }
            if (!back.has_turns) continue;
            if (const double off = angle_between(shown.R[a], back.motion.R[b]); !(off <= proof.turn_rad)) {
                proof.turn_rad = off;
                proof.turn_joint = skeleton.names[size_t(j)];
                proof.turn_frame = frame;
            }
        }
    }
    if (proof.joints == 0 || proof.frames == 0)
        throw FileError(path, "nothing of it was read back", "write another format, and report this");
    return proof;
}

}  // namespace nb
