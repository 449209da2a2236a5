#include "live/session.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/body/measures.hpp"
#include "core/intake/repair.hpp"
#include "core/math/hermite.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/baked.hpp"

namespace nb {

namespace {

constexpr double led_back_s = 0.2;    // from what was held to what comes again
constexpr double look_again_s = 0.1;  // when nothing is due
constexpr double no_look_for = 4.0;   // times what the last solve took
constexpr double same_length = 0.03;  // of a bone, by the body's height
constexpr size_t most_trouble = 300;
constexpr double most_buffer_s = 0.5;

/// A frame's line and header as a file that the loader takes.
std::string as_file(const StreamSkeleton& skeleton, const StreamFrame& frame) {
    return skeleton.header + "MOTION\nFrames: 1\nFrame Time: 0.0083333\n" + frame.line + "\n";
}

}  // namespace

void Latencies::add(double s) {
    if (ring_.size() < kept)
        ring_.push_back(float(s));
    else
        ring_[seen_ % kept] = float(s);
    ++seen_;
}

double Latencies::share_s(double share) const {
    if (ring_.empty()) return 0.0;
    std::vector<float> sorted = ring_;
    const size_t at = std::min(sorted.size() - 1, size_t(share * double(sorted.size())));
    std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(at), sorted.end());
    return sorted[at];
}

class LiveSession::Sink : public StreamSink {
  public:
    explicit Sink(LiveSession& session) : session_(session) {}
    void skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton) override {
        session_.on_skeleton(performer, std::move(skeleton));
    }
    void frame(const std::string& performer, StreamFrame& frame) override {
        session_.on_frame(performer, frame);
    }
    void stopped(const std::string& performer) override { session_.on_stopped(performer); }
    void malformed(const std::string&) override {}

  private:
    LiveSession& session_;
};

LiveSession::LiveSession(Setup setup)
    : setup_(std::move(setup)),
      buffer_(std::clamp(setup_.buffer_s, 0.0, most_buffer_s)),
      sink_(std::make_unique<Sink>(*this)) {
    followed_ = setup_.performer;
    receiver_ =
        std::make_unique<Receiver>(setup_.address, *sink_, [this](double now) { return on_turn(now); });
}

LiveSession::~LiveSession() {
    receiver_.reset();
}

void LiveSession::set_target(std::shared_ptr<const Character> target, const PairingSettings& settings) {
    const std::lock_guard lock(mutex_);
    target_ = std::move(target);
    settings_ = settings;
    is_changed_ = true;
}

void LiveSession::set_performer(const std::string& performer) {
    const std::lock_guard lock(mutex_);
    setup_.performer = performer;
    if (followed_ == performer) return;
    followed_ = performer;
    has_stopped_ = false;
    forget_source();
}

void LiveSession::set_buffer(double length_s) {
    const std::lock_guard lock(mutex_);
    setup_.buffer_s = std::clamp(length_s, 0.0, most_buffer_s);
    buffer_.set_length(setup_.buffer_s);
}

void LiveSession::take_own_body() {
    const std::lock_guard lock(mutex_);
    takes_own_ = true;
    forget_source();
}

void LiveSession::set_line_out(std::optional<OutSettings> out) {
    if (out) const Line allowed(out->way, out->to, out->may_leave_machine);
    const std::lock_guard lock(mutex_);
    out_.reset();
    out_settings_ = std::move(out);
}

void LiveSession::set_expected(std::shared_ptr<const Character> expected) {
    const std::lock_guard lock(mutex_);
    setup_.expected = std::move(expected);
    takes_own_ = false;
    forget_source();
}

std::shared_ptr<const LoadedFile> LiveSession::as_loaded() const {
    const std::lock_guard lock(mutex_);
    return source_character_ ? source_ : nullptr;
}

void LiveSession::record(const std::string& stem) {
    const std::lock_guard lock(mutex_);
    const auto performer = performers_.find(followed_);
    if (performer == performers_.end() || !performer->second.skeleton)
        throw FileError(stem, "nothing to record comes yet", "start the sender first");
    recording_ = std::make_unique<Recording>(stem, followed_, *performer->second.skeleton);
    tape_trouble_.clear();
}

void LiveSession::mark(const std::string& word) {
    const std::lock_guard lock(mutex_);
    if (recording_) recording_->mark(word);
}

std::string LiveSession::stop_recording() {
    const std::lock_guard lock(mutex_);
    if (!recording_) return {};
    recording_->close();
    std::string stem = recording_->frames() > 0 ? recording_->stem() : std::string();
    recording_.reset();
    return stem;
}

void LiveSession::forget_source() {
    trouble_.clear();
    source_character_.reset();
    solve_.reset();
    buffer_.clear();
    held_R_.clear();
    missing_.clear();
    more_.clear();
    fits_ = true;
    has_come_ = false;
}

void LiveSession::choose_followed() {
    if (!setup_.performer.empty()) return;
    if (const auto now = performers_.find(followed_); now != performers_.end()) return;
    if (performers_.empty()) return;
    followed_ = performers_.begin()->first;
    forget_source();
}

void LiveSession::on_skeleton(const std::string& performer, std::shared_ptr<const StreamSkeleton> skeleton) {
    const std::lock_guard lock(mutex_);
    Performer& one = performers_[performer];
    const bool is_other = !one.skeleton || !are_alike(*one.skeleton, *skeleton);
    one.skeleton = std::move(skeleton);
    if (performer == followed_) {
        has_stopped_ = false;
        if (is_other) {
            forget_source();
            if (recording_) {
                // Frames of another hierarchy are no frames of this file.
                recording_->close();
                tape_trouble_ = "the recording has ended: another hierarchy came";
                recording_.reset();
            }
        }
    }
    choose_followed();
}

void LiveSession::on_stopped(const std::string& performer) {
    const std::lock_guard lock(mutex_);
    performers_.erase(performer);
    if (performer == followed_) has_stopped_ = true;
}

void LiveSession::make_source(const StreamSkeleton& skeleton, const StreamFrame& frame) {
    auto loaded = std::make_shared<LoadedFile>(load_bvh(as_file(skeleton, frame), followed_));
    Skeleton names = skeleton.file.skeleton;
    make_names_unique(names);
    const FileConventions& conventions = loaded->character.rig.conventions;
    std::shared_ptr<const Character> character;
    missing_.clear();
    more_.clear();
    fits_ = true;
    if (setup_.expected && !takes_own_) {
        const Character& expected = *setup_.expected;
        const Skeleton& skeleton_then = expected.rig.skeleton;
        for (const RoleFill& fill : expected.roles.fills)
            if (names.find(skeleton_then.names[size_t(fill.joint)]) < 0)
                missing_.push_back(skeleton_then.names[size_t(fill.joint)]);
        for (const std::string& name : names.names)
            if (skeleton_then.find(name) < 0) more_.push_back(name);
        fits_ = missing_.empty();
        const double height = std::max(0.1, stature(skeleton_then, expected.roles));
        const Pose rest = rest_pose(skeleton_then);
        for (int j = 0; j < skeleton_then.size() && fits_; ++j) {
            const int at = names.find(skeleton_then.names[size_t(j)]);
            const int parent = skeleton_then.parents[size_t(j)];
            if (at < 0 || parent < 0) continue;
            const int above = names.parents[size_t(at)];
            const Vec3 offset =
                conventions.unit_m * (conventions.R_WF * skeleton.file.skeleton.rest_p[size_t(at)]);
            fits_ = above >= 0 && names.names[size_t(above)] == skeleton_then.names[size_t(parent)] &&
                    (offset - (rest.p[size_t(j)] - rest.p[size_t(parent)])).norm() < same_length * height;
        }
        if (fits_)
            character = setup_.expected;
        else
            return;
    }
    if (!character) character = std::make_shared<Character>(loaded->character);
    const Skeleton& own = character->rig.skeleton;
    stream_of_.assign(size_t(own.size()), -1);
    std::vector<int> translated;
    own_of_.clear();
    const std::vector<int>& placed = skeleton.file.take.translated;
    for (int j = 0; j < own.size(); ++j) {
        const int at = names.find(own.names[size_t(j)]);
        stream_of_[size_t(j)] = at;
        const auto place = std::find(placed.begin(), placed.end(), at);
        if (at < 0 || place == placed.end()) continue;
        translated.push_back(j);
        own_of_.push_back(int(place - placed.begin()));
    }
    const Pose zero = rest_pose(own);
    above_R_.assign(size_t(own.size()), Quat::Identity());
    rest_R_ = zero.R;
    for (size_t j = 0; j < above_R_.size(); ++j)
        if (const int parent = own.parents[j]; parent >= 0) above_R_[j] = zero.R[size_t(parent)].conjugate();
    now_ = {};
    now_.frames = 1;
    now_.joints = own.size();
    now_.R = own.rest_R;
    now_.p.edit().assign(translated.size(), Vec3::Zero());
    now_.translated = std::move(translated);
    source_ = std::move(loaded);
    source_character_ = std::move(character);
    shown_source_ = zero;
    is_changed_ = true;
}

void LiveSession::make_solve() {
    is_changed_ = false;
    solve_.reset();
    out_.reset();
    if (!source_character_) return;
    try {
        solve_ = std::make_unique<LiveSolve>(*source_character_, target_ ? *target_ : *source_character_,
                                             target_ ? settings_ : PairingSettings());
        trouble_.clear();
    } catch (const std::exception& fault) {
        trouble_ = std::string(fault.what()).substr(0, most_trouble);
    }
}

void LiveSession::on_frame(const std::string& performer, StreamFrame& frame) {
    const std::lock_guard lock(mutex_);
    if (performer != followed_) return;
    // On disk before anything else.
    if (!setup_.record.empty() && !recording_) {
        try {
            recording_ =
                std::make_unique<Recording>(setup_.record, performer, *performers_[performer].skeleton);
        } catch (const std::exception& fault) {
            tape_trouble_ = fault.what();
        }
        setup_.record.clear();
    }
    if (recording_ && !recording_->add(frame)) {
        tape_trouble_ = recording_->fault();
        recording_->close();
        recording_.reset();
    }
    ++came_;
    last_s_ = frame.arrived_s;
    has_come_ = true;
    has_stopped_ = false;
    const JitterBuffer::Came came = buffer_.arrive(frame.number, frame.sent_s, frame.arrived_s);
    if (came == JitterBuffer::Came::twice) return;
    const auto known = performers_.find(performer);
    if (known == performers_.end() || !known->second.skeleton) return;
    if (!source_character_ && fits_ && trouble_.empty()) {
        try {
            make_source(*known->second.skeleton, frame);
        } catch (const std::exception& fault) {
            trouble_ = std::string(fault.what()).substr(0, most_trouble);
        }
    }
    if (!source_character_) return;
    if (is_changed_ || !solve_) make_solve();
    if (!solve_) return;
    if (came == JitterBuffer::Came::anew) solve_->clear();
    const FileConventions& conventions = source_->character.rig.conventions;
    std::vector<Quat>& R = now_.R.edit();
    std::vector<Vec3>& p = now_.p.edit();
    const Quat& R_WF = conventions.R_WF;
    const Quat R_FW = R_WF.conjugate();
    for (size_t j = 0; j < R.size(); ++j)
        if (stream_of_[j] >= 0)
            R[j] = above_R_[j] * (R_WF * frame.R[size_t(stream_of_[j])] * R_FW) * rest_R_[j];
    for (size_t i = 0; i < p.size(); ++i)
        p[i] = above_R_[size_t(now_.translated[i])] *
               Vec3(conventions.unit_m * (R_WF * frame.p[size_t(own_of_[i])]));
    // After a silence it is led from what was held to what comes.
    const bool has_last = solve_->moments().size() > 0;
    if (has_last && frame.sent_s - solve_->moments().last_s() > stale_after_s) {
        led_from_s_ = frame.sent_s;
        held_R_ = last_R_;
        held_p_ = last_p_;
    }
    if (!has_last) held_R_.clear();
    if (held_R_.size() == R.size() && frame.sent_s >= led_from_s_) {
        const double u = (frame.sent_s - led_from_s_) / led_back_s;
        if (u >= 1.0) {
            held_R_.clear();
        } else {
            const double w = smooth_step(u);
            for (size_t j = 0; j < R.size(); ++j) R[j] = held_R_[j].slerp(w, R[j]);
            for (size_t i = 0; i < p.size(); ++i) p[i] = held_p_[i] + w * (p[i] - held_p_[i]);
        }
    }
    if (!solve_->add(frame.number, frame.sent_s, now_, 0)) return;
    if (frame.sent_s >= solve_->moments().last_s()) {
        last_R_ = R;
        last_p_ = p;
    }
    arrived_of_[frame.number] = frame.arrived_s;
    while (arrived_of_.size() > 1024) arrived_of_.erase(arrived_of_.begin());
}

double LiveSession::on_turn(double now_s) {
    const std::lock_guard lock(mutex_);
    choose_followed();
    if (source_character_ && (is_changed_ || !solve_) && trouble_.empty()) make_solve();
    if (!solve_ || !buffer_.has_begun() || solve_->moments().size() == 0) return now_s + look_again_s;
    const double began = live_now_s();
    // Frames go first: where a look whether limbs lie in the body takes long, it is taken less often.
    if (solve_->show(buffer_.due_s(now_s) + 1e-7, began >= look_from_s_)) {
        const Moment& moment = solve_->shown();
        shown_source_.R = moment.R;
        shown_source_.p = moment.p;
        shown_target_ = solve_->target();
        shown_t_s_ = moment.t_s;
        const auto arrived = arrived_of_.find(moment.number);
        shown_arrived_s_ = arrived == arrived_of_.end() ? now_s : arrived->second;
        ++posed_;
        const double ready = live_now_s();
        solving_.add(ready - began);
        look_from_s_ = ready + no_look_for * (ready - began);
        ready_.add(ready - std::max(shown_arrived_s_, buffer_.shown_at_s(moment.t_s)));
        if (out_settings_ && target_ && !out_) {
            const Program& program = solve_->plan().program;
            std::vector<int> moved = placed_joints(program);
            if (program.body.root >= 0) moved.push_back(program.body.root);
            out_ = std::make_unique<LineOut>(*out_settings_, target_->rig.skeleton, moved);
        }
        if (out_ && target_) out_->send(shown_target_, moment.number, moment.t_s);
    }
    const Moments& moments = solve_->moments();
    if (moments.now() + 1 < moments.size())
        return std::min(now_s + look_again_s, buffer_.shown_at_s(moments.at(moments.now() + 1).t_s));
    return now_s + look_again_s;
}

LiveFacts LiveSession::facts() const {
    LiveFacts facts;
    facts.address = setup_.address.text();
    const Receiver::Counts counts = receiver_->counts();
    facts.connections = counts.connections;
    facts.senders = counts.senders;
    facts.malformed = counts.malformed;
    facts.last_malformed = counts.last_malformed;
    for (const auto& [name, performer] : performers_) facts.performers.push_back(name);
    facts.performer = followed_;
    facts.missing = missing_;
    facts.more = more_;
    facts.fits = fits_;
    facts.has_come = has_come_;
    facts.has_stopped = has_stopped_;
    const double now = live_now_s();
    facts.since_s = std::max(0.0, now - last_s_);
    facts.account = buffer_.account(now);
    facts.buffer_s = buffer_.length_s();
    return facts;
}

LiveSession::Shown LiveSession::shown(Pose* source, Pose* target) const {
    Shown shown;
    std::unique_lock lock(mutex_);
    const Latencies ready = ready_, solving = solving_;
    shown.facts = facts();
    shown.source = source_character_;
    shown.trouble = trouble_.empty() ? tape_trouble_ : trouble_;
    shown.has_pose = posed_ > 0 && solve_ && solve_->has_shown();
    if (solve_) shown.map = solve_->plan().program.map;
    shown.posed = posed_;
    shown.t_s = shown_t_s_;
    shown.arrived_s = shown_arrived_s_;
    shown.came = came_;
    shown.is_recording = recording_ != nullptr;
    shown.recorded = recording_ ? recording_->frames() : 0;
    shown.sent_out = out_ ? out_->sent() : 0;
    shown.now_s = live_now_s();
    for (const JitterBuffer::Arrival& arrival : buffer_.arrivals()) shown.arrivals.push_back(arrival);
    if (shown.has_pose && source) *source = shown_source_;
    if (shown.has_pose && target) *target = shown_target_;
    lock.unlock();
    // What is worked out of it is worked out while frames go on coming.
    shown.told = told(shown.facts);
    shown.ready_p50_s = ready.share_s(0.5);
    shown.ready_p99_s = ready.share_s(0.99);
    shown.solve_p50_s = solving.share_s(0.5);
    return shown;
}

}  // namespace nb
