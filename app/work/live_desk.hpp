// A stream as the window has it: listened to, shown on the stage in the take's place, recorded, sent on; and the made-up
// device that plays one. Knows no widgets.
#pragma once
#include <QObject>
#include <QString>
#include <QTimer>
#include <deque>
#include <memory>
#include <optional>

#include "app/work/jobs.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"
#include "live/device.hpp"
#include "live/session.hpp"

namespace nb {

class LiveDesk : public QObject {
    Q_OBJECT

  public:
    LiveDesk(Workspace& workspace, Playback& playback, QObject* parent = nullptr);
    ~LiveDesk() override;

    bool is_listening() const { return session_ != nullptr; }
    /// Of the stream as it stood at the last look.
    const LiveSession::Shown& shown() const { return shown_; }
    /// The sentence also when nobody listens.
    LiveTold told() const;
    Address address() const { return address_; }
    double buffer_ms() const { return buffer_ms_; }

    // The stream in.
    void listen(const QString& address, bool beyond_this_machine = false);
    void stop_listening();
    void follow(const QString& performer);
    void set_buffer_ms(double ms);
    /// The stream's own body onto the stage.
    void take_own_body();

    // The recording: into the library's takes, without one into the folder of documents.
    bool is_recording() const { return shown_.is_recording; }
    void record();
    void mark();
    /// The recording becomes a take of the library and comes onto the stage.
    void stop_recording();
    /// How long it is, and what is to be seen of it, s since it began.
    struct Tape {
        QString name;
        double seconds = 0.0;
        long frames = 0;
        std::vector<std::pair<double, int>> gaps;  ///< when, how many frames never came
        std::vector<std::pair<double, QString>> marks;
    };
    const Tape& tape() const { return tape_; }
    /// Recordings whose program was ended: their names.
    QStringList unfinished() const;
    void finish(const QString& name);

    // The line out.
    void send_to(OutSettings::Way way, const QString& address, bool beyond_this_machine);
    void send_no_more();
    bool is_sending() const { return is_sending_; }

    // The made-up device: plays the take on the stage, and one of the library beside it.
    bool has_device() const { return device_ != nullptr; }
    /// `beside`: of the workspace's takes, for a second performer; -1: there is none.
    void start_device(OutSettings::Way way, double fps, int beside = -1);
    void stop_device();
    void set_faults(const DeviceFaults& faults);
    const DeviceFaults& faults() const { return faults_; }
    Device* device() const { return device_.get(); }

    /// What was painted is what is shown now.
    void painted();
    /// Arrival to screen, s: median of the last frames; 0 before.
    double on_screen_s() const { return on_screen_.share_s(0.5); }

    /// The height of the hips over the last seconds, by the clock of arrivals: of the stream, and of the take on the stage
    /// while it plays along; m.
    struct Height {
        double now_s = 0.0, stream_m = 0.0;
        std::optional<double> take_m;
    };
    const std::deque<Height>& heights() const { return heights_; }
    static constexpr double lane_s = 6.0;

  signals:
    void changed();  ///< listening or not, recording or not, the device
    void looked();   ///< at what comes: several times a second
    void said(const QString& line);
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    Playback& playback_;
    Jobs jobs_;
    QTimer timer_;
    std::unique_ptr<LiveSession> session_;
    std::unique_ptr<Device> device_;
    LiveSession::Shown shown_;
    Address address_;
    double buffer_ms_ = 50.0;
    QString refused_;
    DeviceFaults faults_;
    Tape tape_;
    double tape_from_s_ = 0.0;
    long taped_number_ = -1;
    bool is_sending_ = false, wants_own_ = false, is_own_shown_ = false;
    Latencies on_screen_;
    double shown_arrived_s_ = 0.0;
    long shown_posed_ = 0, painted_ = 0;
    std::deque<Height> heights_;
    Pose source_, target_;
    const void* followed_source_ = nullptr;
    const void* followed_target_ = nullptr;

    void look_at_it();
    void follow_stage(bool is_forced);
    void follow_tape();
    void open_own_body();
    QString recordings_folder() const;
    QString free_name() const;
};

}  // namespace nb
