#include "core/rig/skeleton.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace nb {

int Skeleton::find(std::string_view name) const {
    const auto it = std::find(names.begin(), names.end(), name);
    return it == names.end() ? -1 : static_cast<int>(it - names.begin());
}

std::vector<std::vector<int>> Skeleton::children() const {
    std::vector<std::vector<int>> result(names.size());
    for (int j = 0; j < size(); ++j)
        if (parents[size_t(j)] >= 0) result[size_t(parents[size_t(j)])].push_back(j);
    return result;
}

bool Skeleton::is_ancestor(int ancestor, int joint) const {
    for (int j = joint; j >= 0; j = parents[size_t(j)])
        if (j == ancestor) return true;
    return false;
}

std::vector<int> Skeleton::path(int ancestor, int joint) const {
    std::vector<int> result;
    for (int j = joint; j != ancestor; j = parents[size_t(j)]) {
        if (j < 0) return {};
        result.push_back(j);
    }
    std::reverse(result.begin(), result.end());
    return result;
}

int Skeleton::common_ancestor(int a, int b) const {
    // Parents come first, so the larger index is never an ancestor of the smaller.
    while (a != b && a >= 0 && b >= 0) (a > b ? a : b) = parents[size_t(std::max(a, b))];
    return a == b ? a : -1;
}

double Skeleton::path_length(int ancestor, int joint) const {
    double length = 0.0;
    for (const int j : path(ancestor, joint)) length += rest_p[size_t(j)].norm();
    return length;
}

std::string Skeleton::signature() const {
    // FNV-1a, 64 bit.
    std::uint64_t hash = 14695981039346656037ull;
    const auto add = [&hash](std::string_view bytes) {
        for (const char c : bytes) hash = (hash ^ static_cast<unsigned char>(c)) * 1099511628211ull;
    };
    for (size_t j = 0; j < names.size(); ++j) {
        add(names[j]);
        add(fmt::format("|{}|", parents[j]));
        for (int axis = 0; axis < 3; ++axis) add(fmt::format("{} ", std::llround(rest_p[j][axis] * 1e5)));
        const Quat R = rest_R[j].w() < 0 ? Quat(-rest_R[j].coeffs()) : rest_R[j];
        for (int c = 0; c < 4; ++c) add(fmt::format("{} ", std::llround(R.coeffs()[c] * 1e5)));
    }
    return fmt::format("{:016x}", hash);
}

namespace {

Pose pose_from(const Skeleton& skeleton, const std::vector<Quat>& local) {
    Pose pose;
    pose.R.resize(skeleton.names.size());
    pose.p.resize(skeleton.names.size());
    for (size_t j = 0; j < skeleton.names.size(); ++j) {
        const int parent = skeleton.parents[j];
        if (parent < 0) {
            pose.R[j] = local[j];
            pose.p[j] = skeleton.rest_p[j];
        } else {
            pose.R[j] = (pose.R[size_t(parent)] * local[j]).normalized();
            pose.p[j] = pose.p[size_t(parent)] + pose.R[size_t(parent)] * skeleton.rest_p[j];
        }
    }
    return pose;
}

}  // namespace

Pose rest_pose(const Skeleton& skeleton) {
    return pose_from(skeleton, skeleton.rest_R);
}

Pose bind_pose(const Skeleton& skeleton) {
    return pose_from(skeleton, skeleton.bind_R);
}

}  // namespace nb
