#include "app/window/transport.hpp"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QSpinBox>
#include <QToolButton>
#include <QToolTip>
#include <cmath>

#include "app/look/look.hpp"

namespace nb {

namespace {
constexpr int margin_px = 14;
constexpr double ring_px = 4.0;
}  // namespace

TimeLine::TimeLine(Playback& playback, QWidget* parent) : Drawing(parent), playback_(playback) {
    when_scaled(this, [this] { setMinimumHeight(scaled(34)); });
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setAccessibleName(tr("Time line"));
    setToolTip(
        tr("Drag to scrub. The rings at both ends set the range that plays; it is not a trim ([ and ])."));
    connect(&playback_, &Playback::frame_changed, this, qOverload<>(&QWidget::update));
    connect(&playback_, &Playback::state_changed, this, qOverload<>(&QWidget::update));
    connect(&playback_, &Playback::take_changed, this, [this] {
        peaks_.clear();
        update();
    });
}

double TimeLine::x_of(double frame) const {
    return margin_px + (drawn_width() - 2.0 * margin_px) * frame / std::max(1, playback_.frames() - 1);
}

double TimeLine::frame_at(double x) const {
    return std::clamp((x - margin_px) / std::max(1.0, drawn_width() - 2.0 * margin_px), 0.0, 1.0) *
           std::max(0, playback_.frames() - 1);
}

void TimeLine::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter, false);
    const int frames = playback_.frames();
    if (frames < 1) return;
    const double base = 21;
    if (heard_) paint_sound(painter, base);
    // Ticks on round frames, as many as there is room for.
    int step = 1;
    for (const int s : {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000}) {
        step = s;
        if (x_of(s) - x_of(0) > 58) break;
    }
    const QFont small = letters(10);
    painter.setFont(small);
    for (int f = 0; f < frames; f += step) {
        const double x = x_of(f);
        painter.setPen(look().dim);
        painter.drawLine(QPointF(x, base), QPointF(x, base + 5));
        if (x < drawn_width() - 40)
            painter.drawText(QRectF(x + 3, base + 1, 50, 12), Qt::AlignLeft | Qt::AlignTop,
                             QString::number(f));
    }
    const double a = x_of(playback_.first());
    const double b = x_of(std::max(playback_.first(), playback_.last() - 1));
    painter.fillRect(QRectF(x_of(0), base - 3, x_of(frames - 1) - x_of(0), 3), look().line);
    painter.fillRect(QRectF(a, base - 3, b - a, 3), look().dim);
    painter.setBrush(look().ground);
    painter.setPen(QPen(look().mark, 1.4));
    for (const double x : {a - ring_px, b + ring_px})
        painter.drawEllipse(QPointF(x, base - 1.5), ring_px, ring_px);
    painter.setPen(Qt::NoPen);
    painter.setBrush(look().mark);
    for (const MarkedFrame& mark : marks_) {
        const double x = x_of(mark.frame);
        const QPointF notch[] = {{x - 3.5, base - 9}, {x + 3.5, base - 9}, {x, base - 3}};
        painter.drawPolygon(notch, 3);
    }
    const double now = x_of(playback_.frame());
    painter.setPen(QPen(look().mark, 1.6));
    painter.drawLine(QPointF(now, 4), QPointF(now, base + 4));
    painter.setBrush(look().mark);
    painter.setPen(Qt::NoPen);
    const QPointF flag[] = {{now - 5, 1}, {now + 5, 1}, {now, 8}};
    painter.drawPolygon(flag, 3);
}

/// As loud as it is, over the line of the range. It is drawn with each frame, but asked once for a width.
void TimeLine::paint_sound(QPainter& painter, double base) {
    const double begin = x_of(0), end = x_of(playback_.frames() - 1);
    const auto columns = size_t(std::max(0.0, std::ceil(end - begin)));
    if (peaks_.size() != columns) {
        peaks_.resize(columns);
        for (size_t i = 0; i < columns; ++i)
            peaks_[i] = heard_(frame_at(begin + double(i)), frame_at(begin + double(i) + 1.0));
    }
    QColor tone = look().dim;
    tone.setAlphaF(0.45F);
    painter.setPen(QPen(tone, 1));
    const double tall = 0.5 * (base - 6);
    for (size_t i = 0; i < columns; ++i)
        if (const auto& [low, high] = peaks_[i]; low < high) {
            const double x = begin + double(i);
            painter.drawLine(QPointF(x, 2 + tall - tall * high), QPointF(x, 2 + tall - tall * low));
        }
}

void TimeLine::mousePressEvent(QMouseEvent* event) {
    const QPointF at = drawn_at(event->position());
    const double x = at.x();
    const double a = x_of(playback_.first());
    const double b = x_of(playback_.last() - 1);
    held_ = at.y() > 10 && x < a + 2 && x > a - 9   ? Held::first
            : at.y() > 10 && x > b - 2 && x < b + 9 ? Held::last
                                                    : Held::frame;
    was_playing_ = playback_.is_playing();
    if (held_ == Held::frame) playback_.play(false);
    drag(x);
}

void TimeLine::drag(double x) {
    const int frame = int(std::lround(frame_at(x)));
    if (held_ == Held::frame) playback_.go_to(frame);
    if (held_ == Held::first) playback_.set_range(std::min(frame, playback_.last() - 1), playback_.last());
    if (held_ == Held::last) playback_.set_range(playback_.first(), frame + 1);
}

void TimeLine::set_marks(std::vector<MarkedFrame> marks) {
    marks_ = std::move(marks);
    update();
}

void TimeLine::set_sound(std::function<std::pair<float, float>(double, double)> heard) {
    heard_ = std::move(heard);
    peaks_.clear();
    update();
}

bool TimeLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (const MarkedFrame& mark : marks_)
            if (std::abs(x_of(mark.frame) - drawn_at(help->pos()).x()) < 5) {
                const QString note = QString::fromStdString(mark.note);
                QToolTip::showText(help->globalPos(),
                                   note.isEmpty() ? tr("Frame %1, marked").arg(mark.frame)
                                                  : tr("Frame %1: %2").arg(mark.frame).arg(note),
                                   this);
                return true;
            }
    }
    return Drawing::event(event);
}

void TimeLine::mouseMoveEvent(QMouseEvent* event) {
    if (held_ != Held::nothing) drag(drawn_at(event->position()).x());
}

void TimeLine::mouseReleaseEvent(QMouseEvent*) {
    if (held_ == Held::frame && was_playing_) playback_.play(true);
    held_ = Held::nothing;
    emit let_go();
}

Transport::Transport(Playback& playback, QWidget* parent) : QWidget(parent), playback_(playback) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 2, 8, 4);
    row->setSpacing(2);
    const auto button = [&](const QString& tip) {
        auto* b = new QToolButton(this);
        b->setObjectName("bare");
        b->setToolTip(tip);
        b->setAccessibleName(tip);
        b->setFocusPolicy(Qt::TabFocus);
        row->addWidget(b);
        return b;
    };
    play_ = button(tr("Play, pause (Space)"));
    back_ = button(tr("One frame back (←)"));
    ahead_ = button(tr("One frame on (→)"));
    start_ = button(tr("To the start of the range (Home)"));
    end_ = button(tr("To the end of the range (End)"));
    loop_ = button(tr("Loop (L)"));
    loop_->setCheckable(true);
    frame_ = new QSpinBox(this);
    frame_->setToolTip(tr("The shown frame; type one to go there"));
    frame_->setAccessibleName(tr("frame"));
    when_scaled(frame_, [this] { frame_->setMinimumWidth(scaled(76)); });
    frame_->setKeyboardTracking(false);
    frame_->setFocusPolicy(Qt::StrongFocus);
    row->addSpacing(6);
    row->addWidget(frame_);
    line_ = new TimeLine(playback, this);
    row->addWidget(line_, 1);
    rate_ = new QLabel(this);
    rate_->setToolTip(tr("Length and frame rate of the take, as in its file"));
    row->addWidget(rate_);
    trim_ = new QToolButton(this);
    trim_->setText(tr("trim to it"));
    trim_->setToolTip(tr("Makes the range that plays the take; what is exported is the take (Ctrl+])"));
    trim_->setFocusPolicy(Qt::TabFocus);
    trim_->hide();
    connect(trim_, &QToolButton::clicked, this, &Transport::trim_wanted);
    row->addWidget(trim_);
    connect(line_, &TimeLine::let_go, this, &Transport::refresh);
    row->addSpacing(8);
    speed_ = new QComboBox(this);
    speed_->setToolTip(tr("Speed of playing"));
    speed_->setAccessibleName(tr("speed"));
    for (const auto& [name, speed] :
         {std::pair{"× 0.1", 0.1}, {"× 0.25", 0.25}, {"× 0.5", 0.5}, {"true speed", 1.0}, {"× 2", 2.0}})
        speed_->addItem(name, speed);
    speed_->setCurrentIndex(3);
    speed_->setFocusPolicy(Qt::TabFocus);
    row->addWidget(speed_);

    connect(play_, &QToolButton::clicked, this, [this] { playback_.play(!playback_.is_playing()); });
    connect(back_, &QToolButton::clicked, this, [this] { playback_.step(-1); });
    connect(ahead_, &QToolButton::clicked, this, [this] { playback_.step(1); });
    connect(start_, &QToolButton::clicked, this, [this] { playback_.go_to(playback_.first()); });
    connect(end_, &QToolButton::clicked, this, [this] { playback_.go_to(playback_.last() - 1); });
    connect(loop_, &QToolButton::toggled, &playback_, &Playback::set_looped);
    connect(frame_, &QSpinBox::valueChanged, this, [this](int frame) {
        if (frame != playback_.frame()) {
            playback_.play(false);
            playback_.go_to(frame);
        }
    });
    connect(speed_, &QComboBox::currentIndexChanged, this,
            [this] { playback_.set_speed(speed_->currentData().toDouble()); });
    connect(&playback_, &Playback::frame_changed, this, [this](int frame) {
        const QSignalBlocker blocker(frame_);
        frame_->setValue(frame);
        if (scene_start_s_) refresh_rate();
    });
    connect(&playback_, &Playback::state_changed, this, &Transport::refresh);
    connect(&playback_, &Playback::take_changed, this, &Transport::refresh);
    refresh_icons();
}

void Transport::refresh_icons() {
    start_->setIcon(icon("skip-back"));
    back_->setIcon(icon("step-back"));
    ahead_->setIcon(icon("step-forward"));
    end_->setIcon(icon("skip-forward"));
    loop_->setIcon(icon("repeat"));
    refresh();
}

void Transport::set_scene_start(std::optional<double> start_s) {
    scene_start_s_ = start_s;
    refresh();
}

void Transport::refresh() {
    play_->setIcon(icon(playback_.is_playing() ? "pause" : "play"));
    const QSignalBlocker loop_blocker(loop_);
    const QSignalBlocker frame_blocker(frame_);
    const QSignalBlocker speed_blocker(speed_);
    loop_->setChecked(playback_.is_looped());
    speed_->setCurrentIndex(std::max(0, speed_->findData(playback_.speed())));
    frame_->setRange(0, std::max(0, playback_.frames() - 1));
    frame_->setValue(playback_.frame());
    // It comes when the hand lets go: the line must not grow shorter under it.
    if (!line_->is_held()) trim_->setVisible(playback_.frames() > 0 && !playback_.is_whole());
    refresh_rate();
}

void Transport::refresh_rate() {
    if (trim_->isVisibleTo(this)) {
        rate_->setText(
            tr("plays %1 of %2").arg(playback_.last() - playback_.first()).arg(playback_.frames()));
        return;
    }
    if (scene_start_s_ && playback_.frames() > 0) {
        rate_->setText(tr("scene %1 s · %2 frames/s")
                           .arg(*scene_start_s_ + playback_.frame() * playback_.frame_time_s(), 0, 'f', 2)
                           .arg(1.0 / playback_.frame_time_s(), 0, 'g', 4));
        return;
    }
    rate_->setText(playback_.frames() > 0 ? tr("%1 s · %2 frames/s")
                                                .arg(playback_.frames() * playback_.frame_time_s(), 0, 'f', 2)
                                                .arg(1.0 / playback_.frame_time_s(), 0, 'g', 4)
                                          : QString());
}

}  // namespace nb
