// nbone listen: a stream, followed, carried, recorded and sent on.
#include <fmt/format.h>
#include <signal.h>

#include <atomic>
#include <cmath>
#include <filesystem>
#include <thread>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"
#include "core/documents/pairing.hpp"
#include "live/session.hpp"

namespace nb::cli {

namespace {

std::atomic<bool> is_asked_to_end = false;

OutSettings out_of(const Options& options) {
    OutSettings out;
    const size_t colon = options.send.find(':');
    const std::string way = options.send.substr(0, colon);
    if (colon == std::string::npos || (way != "osc" && way != "bvh"))
        throw WrongUse("--send: write osc:127.0.0.1:7400 or bvh:127.0.0.1:7400");
    out.way = way == "osc" ? OutSettings::Way::osc : OutSettings::Way::bvh;
    out.to = address_of(options.send.substr(colon + 1));
    out.may_leave_machine = options.may_leave_machine;
    return out;
}

Json state_json(const LiveSession::Shown& shown) {
    const JitterBuffer::Account& account = shown.facts.account;
    return {{"state", live_state_name(shown.told.state)},
            {"sentence", shown.told.sentence},
            {"what_to_do", shown.told.remedy},
            {"performers", shown.facts.performers},
            {"performer", shown.facts.performer},
            {"fps", canonical(account.fps)},
            {"came", shown.came},
            {"posed", shown.posed},
            {"recorded", shown.recorded},
            {"late", account.late},
            {"twice", account.twice},
            {"swapped", account.swapped},
            {"missing", account.missing},
            {"malformed", shown.facts.malformed},
            {"ready_p50_ms", canonical(1e3 * shown.ready_p50_s)},
            {"ready_p99_ms", canonical(1e3 * shown.ready_p99_s)},
            {"solve_p50_us", canonical(1e6 * shown.solve_p50_s)},
            {"sent", shown.sent_out},
            {"trouble", shown.trouble}};
}

void tell(const LiveSession::Shown& shown, bool is_json) {
    if (is_json) {
        fmt::print("{}\n", state_json(shown).dump());
    } else {
        fmt::print("{}{}{}\n", shown_text(shown.told.sentence), shown.told.remedy.empty() ? "" : " → ",
                   shown_text(shown.told.remedy));
        if (!shown.trouble.empty()) fmt::print("{}\n", shown_text(shown.trouble));
    }
    std::fflush(stdout);
}

void print_take(const RecordedTake& made) {
    fmt::print("{}: {} frames at {:g} a second\n", shown_text(made.path), made.frames, made.fps);
    for (const std::string& note : made.notes) fmt::print("{}\n", note);
    for (const StreamMark& mark : made.marks)
        fmt::print("mark at frame {}: {}\n", mark.frame, shown_text(mark.word));
}

}  // namespace

int listen(const Options& options) {
    if (!options.finish.empty()) {
        print_take(take_of_recording(options.finish));
        return exit_done;
    }
    Address address = options.file.empty() ? Address() : address_of(options.file);
    if (!address.is_loopback() && !options.may_leave_machine)
        throw WrongUse(address.text() +
                       " is open to other machines; say --beyond-this-machine if that is what you want");
    std::vector<std::string> notes;
    LiveSession::Setup setup{address, options.performer, options.buffer_ms / 1e3, options.record, nullptr};
    std::string source_id, source_path;
    if (!options.source.empty()) {
        const LoadedFile source = load_character(options.source, options.source_character, notes);
        setup.expected = std::make_shared<Character>(source.character);
        source_id = source.character.id;
        source_path = options.source_character;
    }
    std::shared_ptr<const Character> target;
    if (!options.target.empty())
        target = std::make_shared<Character>(
            load_character(options.target, options.target_character, notes).character);
    if (!options.send.empty() && !target) throw WrongUse("--send: give a --target, whose pose goes out");
    const auto out = options.send.empty() ? std::nullopt : std::optional(out_of(options));
    is_asked_to_end = false;
    struct sigaction end {};
    end.sa_handler = [](int) { is_asked_to_end = true; };
    ::sigaction(SIGINT, &end, nullptr);
    ::sigaction(SIGTERM, &end, nullptr);
    LiveSession session(setup);
    if (target) session.set_target(target, pairing_settings(options));
    if (out) session.set_line_out(out);
    const double from_s = live_now_s();
    double told_s = from_s;
    LiveState state = LiveState::closed;
    LiveSession::Shown shown;
    while (!is_asked_to_end && (options.seconds <= 0.0 || live_now_s() - from_s < options.seconds)) {
        shown = session.shown();
        if (shown.told.state != state || live_now_s() - told_s > 1.0) {
            state = shown.told.state;
            told_s = live_now_s();
            tell(shown, options.as_json);
        }
        if (options.is_until_end && state == LiveState::stopped) break;
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    shown = session.shown();
    const std::string stem = session.stop_recording();
    if (options.as_json) {
        Json last = state_json(shown);
        last["ended"] = true;
        fmt::print("{}\n", last.dump());
    } else {
        fmt::print(
            "{} frames came, {} were shown; due to pose {:.2f} ms (median), {:.2f} ms (99 %); solve {:.0f} "
            "us\n",
            shown.came, shown.posed, 1e3 * shown.ready_p50_s, 1e3 * shown.ready_p99_s,
            1e6 * shown.solve_p50_s);
    }
    if (!stem.empty()) print_take(take_of_recording(stem, source_id, source_path));
    // Something came, and it was not kept.
    return !options.record.empty() && stem.empty() && shown.came > 0 ? exit_bad_input : exit_done;
}

}  // namespace nb::cli
