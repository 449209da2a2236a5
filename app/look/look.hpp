// The look of the window: both themes, the shipped font and icons.
#pragma once
#include <QColor>
#include <QFont>
#include <QIcon>
#include <QSize>
#include <QString>
#include <functional>

#include "draw/theme.hpp"

namespace nb {

struct Look {
    bool is_paper = false;
    QColor ground, raised, line, text, dim, mark, source, target;
    const StageTheme& stage() const { return is_paper ? paper_stage : ink_stage; }
    /// Tone of a measure, 0..1: one perceptual scale, dark to bone on ink, light to ink on paper.
    QColor measure(double share) const;
};

/// The look in force. Widgets read it while painting.
const Look& look();
/// Sets palette, style sheet and font of the application. `name`: "ink" or "paper"; `text_percent`: how large
/// text is, and what stands around it (100: 12 px on a display of 96 dots an inch).
void apply_look(const QString& name, int text_percent = 100);

/// While it lives the style sheet is not in force; then it is, for all widgets at once. A widget that is given a
/// parent under a style sheet is dressed anew with all below it: making a window so takes half a second longer.
class SheetHeld {
  public:
    SheetHeld();
    ~SheetHeld();
    SheetHeld(const SheetHeld&) = delete;
    SheetHeld& operator=(const SheetHeld&) = delete;
};

/// How large text is, 1 at 100 % on a display of 96 dots an inch.
double text_scale();
/// What is `px` at 100 % in the text size in force, in whole pixels. Dots an inch of the display count.
int scaled(double px);
QSize scaled(const QSize& px);
/// The font of the application at `px`, scaled.
QFont text_font(double px);
/// Runs now, and after each change of look or text size while the widget lives.
void when_scaled(QWidget* widget, const std::function<void()>& run);
/// A shipped icon in the colour of text.
QIcon icon(const QString& name);

}  // namespace nb
