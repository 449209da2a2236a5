// The tape: in the transport's place while a stream is followed. It fills as it is recorded; gaps are holes in it, marks
// flags.
#pragma once
#include "app/look/drawing.hpp"
#include "app/work/live_desk.hpp"

class QLabel;
class QToolButton;

namespace nb {

class TapeLine : public Drawing {
    Q_OBJECT

  public:
    explicit TapeLine(LiveDesk& desk, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{500, 34}); }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    LiveDesk& desk_;
    /// The tape is so long; it grows when it is full.
    double length_s() const;
};

class Tape : public QWidget {
    Q_OBJECT

  public:
    explicit Tape(LiveDesk& desk, QWidget* parent = nullptr);

  private:
    LiveDesk& desk_;
    QToolButton *record_, *mark_;
    QLabel* words_;
    TapeLine* line_;

    void refresh();
};

}  // namespace nb
