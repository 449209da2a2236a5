#include "app/work/take_sound.hpp"

#include <QAudioDevice>
#include <QAudioSink>
#include <QMediaDevices>
#include <algorithm>
#include <cmath>
#include <cstring>

#include "app/work/playback.hpp"
#include "core/intake/along.hpp"

namespace nb {

TakeSoundPlayer::TakeSoundPlayer(Workspace& workspace, Playback& playback, QObject* parent)
    : QObject(parent), workspace_(workspace), playback_(playback) {
    connect(&workspace_, &Workspace::source_changed, this, &TakeSoundPlayer::look_at_take);
    connect(&playback_, &Playback::state_changed, this, &TakeSoundPlayer::follow);
    connect(&playback_, &Playback::frame_changed, this, [this](int frame) {
        // Back to the start of the range, or led elsewhere: from there.
        const bool is_led = frame < last_frame_ || frame > last_frame_ + 30;
        last_frame_ = frame;
        if (sink_ && is_led) start();
    });
    connect(&jobs_, &Jobs::failed, this, &TakeSoundPlayer::failed);
    look_at_take();
}

TakeSoundPlayer::~TakeSoundPlayer() {
    stop();
    cancel(reading_);
    jobs_.wait();
}

void TakeSoundPlayer::look_at_take() {
    const auto source = workspace_.source();
    QString path;
    if (source) {
        const Rig& rig = source->file.character.rig;
        if (!rig.options.sound.file.empty())
            path = QString::fromStdString(path_along(rig.path, rig.options.sound.file));
    }
    if (path == path_) {
        emit changed();  // its begin may be another
        return;
    }
    path_ = path;
    stop();
    sound_.reset();
    cancel(reading_);
    emit changed();
    if (path.isEmpty()) return;
    reading_ = not_cancelled();
    jobs_.run(
        tr("Reading the sound"), reading_,
        [file = path.toStdString()](const auto&) { return std::make_shared<const Sound>(read_sound(file)); },
        [this, path](std::shared_ptr<const Sound> sound) {
            if (path != path_) return;  // another take came meanwhile
            sound_ = std::move(sound);
            emit changed();
            follow();
        },
        [] {});
}

double TakeSoundPlayer::time_s(double frame) const {
    const auto source = workspace_.source();
    if (!source || !source->file.take) return 0.0;
    const Take& take = *source->file.take;
    return take.start_s + frame * take.frame_time_s - source->file.character.rig.options.sound.offset_s;
}

QByteArray TakeSoundPlayer::heard_from(int frame) const {
    if (!sound_) return {};
    const double from = time_s(frame);
    const Sound cut = cut_sound(*sound_, from, time_s(playback_.last()) - from);
    QByteArray bytes(qsizetype(cut.samples.size() * 2), 0);
    for (size_t i = 0; i < cut.samples.size(); ++i) {
        const auto value = qint16(std::lround(32767.0F * std::clamp(cut.samples[i], -1.0F, 1.0F)));
        std::memcpy(bytes.data() + 2 * i, &value, 2);
    }
    return bytes;
}

void TakeSoundPlayer::follow() {
    // At other speeds there is silence: a voice at half speed helps nobody.
    const bool is_heard = sound_ && playback_.is_playing() && playback_.speed() == 1.0;
    if (is_heard && !sink_) start();
    if (!is_heard) stop();
}

void TakeSoundPlayer::start() {
    stop();
    const QAudioDevice device = QMediaDevices::defaultAudioOutput();
    if (device.isNull() || !sound_) return;
    QAudioFormat format;
    format.setSampleRate(sound_->rate);
    format.setChannelCount(sound_->channels);
    format.setSampleFormat(QAudioFormat::Int16);
    if (!device.isFormatSupported(format)) return;
    last_frame_ = playback_.frame();
    heard_.setData(heard_from(last_frame_));
    heard_.open(QIODevice::ReadOnly);
    sink_ = std::make_unique<QAudioSink>(device, format);
    sink_->start(&heard_);
}

void TakeSoundPlayer::stop() {
    if (sink_) sink_->stop();
    sink_.reset();
    heard_.close();
}

}  // namespace nb
