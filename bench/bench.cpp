// Ratios, not times: this machine is noisy. Reading is compared with Assimp's BVH reader in the same process;
// the passes are given in microseconds a frame on one core.
#include <assimp/scene.h>
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <assimp/Importer.hpp>

#include "core/contact/contacts.hpp"
#include "core/files/bvh.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/solve.hpp"
#include "core/review/review.hpp"
#include "core/solve/engine.hpp"
#include "core/solve/passes.hpp"
#include "tests/support/test_rigs.hpp"

using namespace nb;

namespace {

void read_own(benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(read_bvh(test::capture("01_03.bvh")).take.frames);
}
void load_whole(benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(load_file(test::capture("01_03.bvh")).take->frames);
}
void read_assimp(benchmark::State& state) {
    for (auto _ : state) {
        Assimp::Importer importer;
        benchmark::DoNotOptimize(importer.ReadFile(test::capture("01_03.bvh"), 0)->mNumAnimations);
    }
}

/// A whole body into the T: 60 bones and more, with its mesh.
void solve_a_rest(benchmark::State& state) {
    static const LoadedFile net_mender = [] {
        std::vector<std::string> notes;
        return load_character(test::demo("characters/net-mender/rig.glb"), "", notes);
    }();
    size_t vertices = 0;
    for (const Mesh& mesh : net_mender.character.rig.meshes) vertices += mesh.positions.size();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            solve_rest(net_mender.character.rig, net_mender.character.roles, {}).ankle_height_m);
    state.counters["bones"] = net_mender.character.rig.skeleton.size();
    state.counters["vertices"] = double(vertices);
}

struct Prepared {
    LoadedFile source = load_file(test::capture("01_03.bvh"));
    LoadedFile target = load_file(test::rig("ferrier/rig.glb"));
    Plan plan = compile_plan(source.character, target.character, {});
    WorldMotion motion = forward_kinematics(source.character.rig.skeleton, *source.take, 1);
    WorldMotion result;
    Prepared() { result.resize(motion.frames, target.character.rig.skeleton.size()); }
};
Prepared& prepared() {
    static Prepared p;
    return p;
}

void per_frame(benchmark::State& state, int frames) {
    state.counters["us_a_frame"] =
        benchmark::Counter(double(frames) * 1e-6 * double(state.iterations()),
                           benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}

/// Runs a pass over all frames; the counter gives microseconds a frame.
template <typename Pass>
void over_frames(benchmark::State& state, Pass&& pass) {
    Prepared& p = prepared();
    for (auto _ : state)
        for (int f = 0; f < p.motion.frames; ++f) {
            const SourceFrame S = frame_of(std::as_const(p.motion), f);
            TargetFrame T = frame_of(p.result, f);
            pass(p.plan.program, S, T);
        }
    state.counters["us_a_frame"] =
        benchmark::Counter(double(p.motion.frames) * 1e-6 * double(state.iterations()),
                           benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
void angles(benchmark::State& state) {
    over_frames(state, [](const Program& program, const SourceFrame& S, TargetFrame& T) {
        pass_angles(program, S, T);
    });
}
void root(benchmark::State& state) {
    over_frames(state, [](const Program& program, const SourceFrame& S, TargetFrame& T) {
        pass_root(program, S, T);
    });
}
void reach(benchmark::State& state) {
    over_frames(state, [](const Program& program, const SourceFrame& S, TargetFrame& T) {
        pass_reach(program, S, T);
    });
}
void twist(benchmark::State& state) {
    over_frames(state, [](const Program& program, const SourceFrame& S, TargetFrame& T) {
        pass_twist(program, S, T);
    });
}

/// The passes along time, on the motion as it is reached without locks.
void contacts_found(benchmark::State& state) {
    Prepared& p = prepared();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            find_contacts(p.source.character, p.motion, p.source.take->frame_time_s, 1).list.size());
    per_frame(state, p.motion.frames);
}
void contacts_held(benchmark::State& state) {
    Prepared& p = prepared();
    const Contacts contacts = find_contacts(p.source.character, p.motion, p.source.take->frame_time_s, 1);
    for (int f = 0; f < p.motion.frames; ++f) solve_frame(p.plan.program, p.motion, p.result, f);
    for (auto _ : state)
        benchmark::DoNotOptimize(
            hold_contacts(p.plan.program, contacts, p.motion, p.result, p.source.take->frame_time_s, 1)
                .held_frames);
    per_frame(state, p.motion.frames);
}

/// How a whole transfer grows: range(0) frames (01_03 again and again), range(1) bones of the target (helpers
/// under its chest), range(2) threads.
void scaling(benchmark::State& state) {
    const int frames = int(state.range(0));
    const int bones = int(state.range(1));
    LoadedFile source = load_file(test::capture("01_03.bvh"));
    Take& take = *source.take;
    const int own = take.frames;
    const size_t joints = size_t(take.joints);
    const size_t moving = take.translated.size();
    std::vector<Quat>& R = take.R.edit();
    std::vector<Vec3>& p = take.p.edit();
    R.resize(size_t(frames) * joints);
    p.resize(size_t(frames) * moving);
    for (int f = own; f < frames; ++f) {
        std::copy_n(R.begin() + std::ptrdiff_t(size_t(f % own) * joints), joints,
                    R.begin() + std::ptrdiff_t(size_t(f) * joints));
        std::copy_n(p.begin() + std::ptrdiff_t(size_t(f % own) * moving), moving,
                    p.begin() + std::ptrdiff_t(size_t(f) * moving));
    }
    take.frames = frames;
    LoadedFile target = load_file(test::rig("dockhand/rig.bvh"));
    Character& c = target.character;
    const int chest = c.roles.joint("chest");
    while (c.rig.skeleton.size() < bones) {
        c.rig.skeleton.names.push_back(fmt::format("helper {}", c.rig.skeleton.size()));
        c.rig.skeleton.parents.push_back(chest);
        c.rig.skeleton.rest_R.push_back(Quat::Identity());
        c.rig.skeleton.rest_p.emplace_back(0.0, 0.1, 0.0);
        c.rest.D_W.push_back(Quat::Identity());
    }
    apply_alignment(c.rig.skeleton, c.roles, c.rest);
    for (auto _ : state)
        benchmark::DoNotOptimize(transfer(source.character, take, c, {}, int(state.range(2))).take.frames);
    state.counters["bones"] = c.rig.skeleton.size();
    per_frame(state, frames);
}

void forward(benchmark::State& state) {
    Prepared& p = prepared();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            forward_kinematics(p.source.character.rig.skeleton, *p.source.take, 1).frames);
    state.counters["us_a_frame"] =
        benchmark::Counter(double(p.motion.frames) * 1e-6 * double(state.iterations()),
                           benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
void whole_transfer(benchmark::State& state) {
    Prepared& p = prepared();
    for (auto _ : state)
        benchmark::DoNotOptimize(
            transfer(p.source.character, *p.source.take, p.target.character, {}, int(state.range(0)))
                .take.frames);
}
void whole_review(benchmark::State& state) {
    Prepared& p = prepared();
    const TransferResult r = transfer(p.source.character, *p.source.take, p.target.character, {});
    for (auto _ : state)
        benchmark::DoNotOptimize(review_transfer(p.source.character, r.source, p.target.character, r.target,
                                                 p.source.take->frame_time_s, 1)
                                     .frames);
}

BENCHMARK(solve_a_rest)->Unit(benchmark::kMillisecond);
BENCHMARK(read_own)->Unit(benchmark::kMillisecond);
BENCHMARK(load_whole)->Unit(benchmark::kMillisecond);
BENCHMARK(read_assimp)->Unit(benchmark::kMillisecond);
BENCHMARK(forward)->Unit(benchmark::kMillisecond);
BENCHMARK(angles)->Unit(benchmark::kMillisecond);
BENCHMARK(root)->Unit(benchmark::kMillisecond);
BENCHMARK(reach)->Unit(benchmark::kMillisecond);
BENCHMARK(twist)->Unit(benchmark::kMillisecond);
BENCHMARK(contacts_found)->Unit(benchmark::kMillisecond);
BENCHMARK(contacts_held)->Unit(benchmark::kMillisecond);
BENCHMARK(scaling)
    ->Args({1000, 20, 1})
    ->Args({1000, 60, 1})
    ->Args({1000, 300, 1})
    ->Args({10000, 20, 1})
    ->Args({10000, 60, 1})
    ->Args({10000, 300, 1})
    ->Args({10000, 60, 2})
    ->Args({100000, 60, 1})
    ->Args({100000, 60, 2})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);
BENCHMARK(whole_transfer)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond);
BENCHMARK(whole_review)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
