// nbone-device: a made-up capture device that plays takes as a stream.
#include <fmt/format.h>
#include <signal.h>

#include <CLI/CLI.hpp>
#include <atomic>
#include <cstdio>
#include <filesystem>
#include <thread>

#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/version.hpp"
#include "core/library/library.hpp"
#include "live/device.hpp"

namespace {

std::atomic<bool> is_asked_to_end = false;

int run(const std::vector<std::string>& takes, const std::vector<std::string>& names,
        const nb::DeviceSettings& settings, const nb::DeviceFaults& faults, double seconds) {
    std::vector<nb::Device::Performer> performers;
    std::vector<std::string> notes;
    for (size_t i = 0; i < takes.size(); ++i) {
        auto take = std::make_shared<nb::LoadedFile>(nb::load_take(takes[i], "", notes));
        std::string name =
            i < names.size() ? names[i] : std::filesystem::path(takes[i]).stem().stem().string();
        performers.push_back({std::move(name), std::move(take)});
    }
    struct sigaction end {};
    end.sa_handler = [](int) { is_asked_to_end = true; };
    ::sigaction(SIGINT, &end, nullptr);
    ::sigaction(SIGTERM, &end, nullptr);
    nb::Device device(settings, std::move(performers));
    device.set_faults(faults);
    fmt::print("playing to {} as {}, {:g} frames a second\n", settings.to.text(),
               settings.way == nb::OutSettings::Way::bvh ? "BVH over TCP" : "OSC over UDP", settings.fps);
    std::fflush(stdout);
    const double from = nb::live_now_s();
    bool was_connected = true;
    while (!is_asked_to_end && !device.has_ended() && (seconds <= 0.0 || nb::live_now_s() - from < seconds)) {
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        const bool is_connected = device.is_connected();
        if (!is_connected && was_connected && nb::live_now_s() - from > 1.0)
            fmt::print("nobody listens at {}: it is tried again\n", settings.to.text());
        was_connected = is_connected || nb::live_now_s() - from <= 1.0;
        std::fflush(stdout);
    }
    fmt::print("{} frames were sent\n", device.sent());
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    CLI::App app{"Plays takes as a capture device would send them."};
    app.set_version_flag("--version", std::string("nbone-device ") + nb::version());
    std::vector<std::string> takes, names;
    std::string to = "127.0.0.1:7300", way = "bvh";
    double late_ms = 80.0, seconds = 0.0;
    nb::DeviceSettings settings;
    nb::DeviceFaults faults;
    const auto share = CLI::Range(0.0, 1.0);
    app.add_option("TAKE", takes, "Takes, a performer each: .bvh, .glb, .take.json")->required();
    app.add_option("--name", names, "Their names, in that order");
    app.add_option("--to", to, "Where it is listened");
    app.add_option("--way", way, "bvh: text over TCP; osc: Open Sound Control over UDP")
        ->check(CLI::IsMember({"bvh", "osc"}));
    app.add_flag("--beyond-this-machine", settings.may_leave_machine, "Allows an address of another machine");
    app.add_option("--fps", settings.fps, "Frames a second")->check(CLI::Range(1.0, 1000.0));
    app.add_option("--t-pose", settings.t_pose_s, "Seconds in the T at the beginning")
        ->check(CLI::Range(0.0, 3600.0));
    app.add_option("--seconds", seconds, "Ends after so many")->check(CLI::Range(0.0, 1e6));
    app.add_flag("--once", settings.is_once, "Ends after the take; else it is played over and over");
    app.add_option("--seed", settings.seed, "Of what is by chance");
    app.add_option("--lost", faults.lost, "Share of the frames that are not sent")->check(share);
    app.add_option("--late", faults.late, "Share of the frames that are sent late")->check(share);
    app.add_option("--late-by", late_ms, "By so many milliseconds")->check(CLI::Range(0.0, 5000.0));
    app.add_option("--twice", faults.twice, "Share that is sent twice")->check(share);
    app.add_option("--swapped", faults.swapped, "Share that is sent after the next one")->check(share);
    app.add_option("--frozen", faults.frozen, "A limb that does not move any more: arm.left, leg.right ...")
        ->check(CLI::IsMember({"arm.left", "arm.right", "leg.left", "leg.right"}));
    app.add_flag("--other-skeleton", faults.has_other_skeleton, "Another skeleton than the take's");
    app.add_flag("--wrong-name", faults.has_wrong_name, "Another performer's name");
    app.add_option("--noise", faults.noise_deg, "Degrees of noise a joint")->check(CLI::Range(0.0, 45.0));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? 0 : 2;
    }
    try {
        settings.way = way == "bvh" ? nb::OutSettings::Way::bvh : nb::OutSettings::Way::osc;
        settings.to = nb::address_of(to);
        faults.late_by_s = late_ms / 1e3;
        return run(takes, names, settings, faults, seconds);
    } catch (const std::exception& error) {
        std::fprintf(stderr, "nbone-device: %s\n", nb::shown_text(error.what()).c_str());
        return 3;
    }
}
