// The clock of the window: which frame is shown, whether it runs, how fast, within which range.
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <functional>

namespace nb {

class Playback : public QObject {
    Q_OBJECT

  public:
    explicit Playback(QObject* parent = nullptr);

    /// `now_of` says where a frame of the take before lies in this one, when it is the same take read anew:
    /// frame and range stay at their place. Without it the range is the whole take.
    void set_take(int frames, double frame_time_s, const std::function<int(int)>& now_of = {});
    int frames() const { return frames_; }
    double frame_time_s() const { return frame_time_s_; }
    int frame() const { return frame_; }
    int first() const { return first_; }  ///< the range that plays, last not included
    int last() const { return last_; }
    double speed() const { return speed_; }
    bool is_looped() const { return is_looped_; }
    bool is_whole() const { return first_ == 0 && last_ == frames_; }
    bool is_playing() const { return timer_.isActive(); }

    void play(bool on);
    void go_to(int frame);
    void step(int by);
    void set_speed(double speed);
    void set_looped(bool on);
    void set_range(int first, int last);

  signals:
    void frame_changed(int frame);
    void state_changed();
    void take_changed();

  private:
    QTimer timer_;
    QElapsedTimer clock_;
    int frames_ = 0;
    double frame_time_s_ = 1.0 / 60.0;
    int frame_ = 0;
    int first_ = 0;
    int last_ = 0;
    double speed_ = 1.0;
    bool is_looped_ = true;
    double start_frame_ = 0.0;  ///< where the clock started

    void tick();
    void restart_clock();
};

}  // namespace nb
