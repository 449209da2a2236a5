#include "app/work/playback.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

Playback::Playback(QObject* parent) : QObject(parent) {
    timer_.setTimerType(Qt::PreciseTimer);
    timer_.setInterval(12);
    connect(&timer_, &QTimer::timeout, this, &Playback::tick);
}

void Playback::set_take(int frames, double frame_time_s, const std::function<int(int)>& now_of) {
    const bool was_whole = is_whole();
    frames_ = frames;
    frame_time_s_ = frame_time_s;
    const auto within = [&](int frame, int most) { return std::clamp(now_of(frame), 0, most); };
    if (now_of) frame_ = within(frame_, std::max(0, frames - 1));
    if (now_of && !was_whole && within(last_, frames) > within(first_, frames)) {
        first_ = within(first_, frames);
        last_ = within(last_, frames);
    } else {
        first_ = 0;
        last_ = frames;
    }
    frame_ = std::clamp(frame_, 0, std::max(0, frames - 1));
    restart_clock();
    emit take_changed();
    emit frame_changed(frame_);
}

void Playback::play(bool on) {
    if (on == is_playing() || frames_ < 2) return;
    if (on) {
        if (frame_ >= last_ - 1 || frame_ < first_) frame_ = first_;
        restart_clock();
        timer_.start();
    } else {
        timer_.stop();
    }
    emit state_changed();
}

void Playback::go_to(int frame) {
    frame = std::clamp(frame, 0, std::max(0, frames_ - 1));
    if (frame == frame_) return;
    frame_ = frame;
    restart_clock();
    emit frame_changed(frame_);
}

void Playback::step(int by) {
    play(false);
    go_to(frame_ + by);
}

void Playback::set_speed(double speed) {
    speed_ = speed;
    restart_clock();
    emit state_changed();
}

void Playback::set_looped(bool on) {
    is_looped_ = on;
    emit state_changed();
}

void Playback::set_range(int first, int last) {
    first_ = std::clamp(first, 0, std::max(0, frames_ - 1));
    last_ = std::clamp(last, first_ + 1, frames_);
    emit state_changed();
}

void Playback::restart_clock() {
    start_frame_ = frame_;
    clock_.restart();
}

void Playback::tick() {
    // The frame follows the clock, so that a slow drawing skips frames and keeps true speed.
    const double at = start_frame_ + double(clock_.nsecsElapsed()) * 1e-9 * speed_ / frame_time_s_;
    int frame = int(std::floor(at));
    if (frame >= last_) {
        if (!is_looped_) {
            frame = last_ - 1;
            timer_.stop();
            emit state_changed();
        } else {
            frame = first_ + (frame - first_) % std::max(1, last_ - first_);
            start_frame_ = frame;
            clock_.restart();
        }
    }
    if (frame == frame_) return;
    frame_ = frame;
    emit frame_changed(frame_);
}

}  // namespace nb
