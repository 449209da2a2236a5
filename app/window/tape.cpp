#include "app/window/tape.hpp"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <cmath>

#include "app/look/labels.hpp"

namespace nb {

namespace {

constexpr double least_s = 20.0;
constexpr double edge_px = 10.0;

QString clock(double seconds) {
    const int whole = int(seconds);
    return QString("%1:%2").arg(whole / 60).arg(whole % 60, 2, 10, QChar('0'));
}

}  // namespace

TapeLine::TapeLine(LiveDesk& desk, QWidget* parent) : Drawing(parent), desk_(desk) {
    setAccessibleName(tr("Tape"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(&desk_, &LiveDesk::looked, this, [this] { update(); });
    connect(&desk_, &LiveDesk::changed, this, [this] { update(); });
}

double TapeLine::length_s() const {
    double length = least_s;
    while (length < desk_.tape().seconds) length *= 2.0;
    return length;
}

void TapeLine::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter, false);
    const LiveDesk::Tape& tape = desk_.tape();
    const double left = edge_px, right = drawn_width() - edge_px;
    const double base = drawn_height() - 13.0, high = 11.0;
    const double length = length_s();
    const auto x_of = [&](double s) { return left + (right - left) * s / length; };
    painter.setPen(QPen(look().line, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(left, base - high, right - left, high));
    if (!tape.name.isEmpty()) {
        painter.fillRect(QRectF(left, base - high, x_of(tape.seconds) - left, high), look().source);
        for (const auto& [s, frames] : tape.gaps) {
            const double wide = std::max(1.5, std::min(12.0, 0.2 * frames));
            painter.fillRect(QRectF(x_of(s) - wide, base - high, wide, high), look().ground);
        }
        painter.setPen(QPen(look().mark, 1.4));
        for (const auto& [s, word] : tape.marks) {
            painter.drawLine(QPointF(x_of(s), base), QPointF(x_of(s), base - high - 7));
            painter.drawLine(QPointF(x_of(s), base - high - 7), QPointF(x_of(s) + 6, base - high - 4));
            painter.drawLine(QPointF(x_of(s) + 6, base - high - 4), QPointF(x_of(s), base - high - 2));
        }
    }
    painter.setPen(look().dim);
    painter.setFont(letters(10));
    const double step = length / 4.0;
    for (int i = 0; i <= 4; ++i)
        painter.drawText(QRectF(std::clamp(x_of(i * step) - 24, left - 4, right - 44), base + 1, 48, 12),
                         i == 0   ? Qt::AlignLeft
                         : i == 4 ? Qt::AlignRight
                                  : Qt::AlignHCenter,
                         clock(i * step));
}

Tape::Tape(LiveDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
    setObjectName("raised");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 4, 12, 4);
    row->setSpacing(8);
    record_ = word_button(
        tr("record"), tr("What comes goes to disk first (Ctrl+R); once more: it becomes a take"), this, true);
    mark_ = word_button(tr("mark"), tr("A mark in the recording, now (Y)"), this);
    words_ = new QLabel(this);
    line_ = new TapeLine(desk, this);
    row->addWidget(record_);
    row->addWidget(mark_);
    row->addWidget(line_, 1);
    row->addWidget(words_);
    connect(record_, &QToolButton::clicked, this, [this] {
        desk_.is_recording() ? desk_.stop_recording() : desk_.record();
        refresh();
    });
    connect(mark_, &QToolButton::clicked, this, [this] { desk_.mark(); });
    connect(&desk_, &LiveDesk::looked, this, &Tape::refresh);
    connect(&desk_, &LiveDesk::changed, this, &Tape::refresh);
    when_scaled(words_, [this] { words_->setMinimumWidth(scaled(190)); });
    refresh();
}

void Tape::refresh() {
    const bool on = desk_.is_recording();
    record_->setChecked(on);
    record_->setText(on ? tr("stop") : tr("record"));
    record_->setEnabled(on || desk_.shown().facts.has_come);
    mark_->setEnabled(on);
    const LiveDesk::Tape& tape = desk_.tape();
    words_->setText(on ? tr("%1 · %2 · %3 frames").arg(tape.name, clock(tape.seconds)).arg(tape.frames)
                       : tr("nothing is recorded"));
}

}  // namespace nb
