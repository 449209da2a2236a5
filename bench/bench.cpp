// Ratios, not times: this machine is noisy. Reading is compared with Assimp's BVH reader in the same process;
// the passes are given in microseconds a frame on one core.
#include <assimp/scene.h>
#include <benchmark/benchmark.h>
#include <assimp/Importer.hpp>

#include "core/io/bvh.hpp"
#include "core/library/library.hpp"
#include "core/rest/solve.hpp"
#include "core/review/review.hpp"
#include "core/transfer/passes.hpp"
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

/// Runs a pass over all frames; the counter gives microseconds a frame.
template <typename Pass>
void over_frames(benchmark::State& state, Pass&& pass) {
    Prepared& p = prepared();
    for (auto _ : state)
        for (int f = 0; f < p.motion.frames; ++f) {
            const SourceFrame S{{&p.motion.R[p.motion.at(f, 0)], size_t(p.motion.joints)},
                                {&p.motion.p[p.motion.at(f, 0)], size_t(p.motion.joints)}};
            TargetFrame T{{&p.result.R[p.result.at(f, 0)], size_t(p.result.joints)},
                          {&p.result.p[p.result.at(f, 0)], size_t(p.result.joints)}};
            pass(p.plan, S, T);
        }
    state.counters["us_a_frame"] =
        benchmark::Counter(double(p.motion.frames) * 1e-6 * double(state.iterations()),
                           benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
void angles(benchmark::State& state) {
    over_frames(state,
                [](const Plan& plan, const SourceFrame& S, TargetFrame& T) { pass_angles(plan, S, T); });
}
void root(benchmark::State& state) {
    over_frames(state, [](const Plan& plan, const SourceFrame& S, TargetFrame& T) { pass_root(plan, S, T); });
}
void reach(benchmark::State& state) {
    over_frames(state,
                [](const Plan& plan, const SourceFrame& S, TargetFrame& T) { pass_reach(plan, S, T); });
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
BENCHMARK(whole_transfer)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond);
BENCHMARK(whole_review)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
