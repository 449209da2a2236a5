// The sound of the take on the stage: read in the background, heard while it plays at true speed, and what the time line
// draws of it. Without a device to play on it is drawn alone. Knows no widgets.
#pragma once
#include <QBuffer>
#include <QObject>
#include <memory>

#include "app/work/jobs.hpp"
#include "app/work/workspace.hpp"
#include "core/files/sound.hpp"

class QAudioSink;

namespace nb {

class Playback;

class TakeSoundPlayer : public QObject {
    Q_OBJECT

  public:
    TakeSoundPlayer(Workspace& workspace, Playback& playback, QObject* parent = nullptr);
    ~TakeSoundPlayer() override;
    /// Null when the take has none.
    const Sound* sound() const { return sound_.get(); }
    /// Of the sound, at a frame of the take in force; s.
    double time_s(double frame) const;
    /// What is heard from a frame on, 16 bits, interleaved: from the sound to the end of the range (tests).
    QByteArray heard_from(int frame) const;
    void wait() { jobs_.wait(); }

  signals:
    void changed();
    void failed(const QString& line);

  private:
    Jobs jobs_;
    Workspace& workspace_;
    Playback& playback_;
    Cancelled reading_;
    QString path_;
    std::shared_ptr<const Sound> sound_;
    std::unique_ptr<QAudioSink> sink_;
    QBuffer heard_;
    int last_frame_ = -1;

    void look_at_take();
    void follow();
    void start();
    void stop();
};

}  // namespace nb
