// A widget that draws itself. It draws in units of its own, which are pixels while text is at 100 % and grow
// with it: lines, bars and letters keep their proportions at every size of text.
#pragma once
#include <QPainter>
#include <QWidget>

#include "app/look/look.hpp"

namespace nb {

class Drawing : public QWidget {
  public:
    using QWidget::QWidget;
    /// A point of the drawing in pixels of the widget, and back.
    QPointF seen(const QPointF& units) const { return units * text_scale(); }
    QPointF drawn_at(const QPointF& px) const { return px / text_scale(); }

  protected:
    /// A frame round it shows that it has the keyboard, when it came by a key.
    bool event(QEvent* event) override;
    /// False when it shows that by itself.
    virtual bool has_focus_frame() const { return true; }
    int drawn_width() const { return int(width() / text_scale()); }
    int drawn_height() const { return int(height() / text_scale()); }
    QRect drawn_rect() const { return {0, 0, drawn_width(), drawn_height()}; }
    /// To draw in this widget's units: on the ground, or over what is there.
    void start(QPainter& painter, bool on_ground = true) const {
        painter.setRenderHint(QPainter::Antialiasing);
        if (on_ground) painter.fillRect(rect(), look().ground);
        painter.scale(text_scale(), text_scale());
        painter.setFont(letters());
    }
    /// The font of the application, `size` units tall.
    static QFont letters(int size = 12);
    /// What stands at `x`, a line that moves with the frames, is drawn anew.
    void update_column(double x) {
        const QRectF column(seen({x - 2, 0}), seen({x + 3, double(drawn_height()) + 1}));
        update(column.toAlignedRect());
    }

  private:
    bool is_reached_by_key_ = false;
};

}  // namespace nb
