// The look of the window: both themes, the shipped font and icons.
#pragma once
#include <QColor>
#include <QIcon>
#include <QString>

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
/// Sets palette, style sheet and font of the application. `name`: "ink" or "paper".
void apply_look(const QString& name);
/// A shipped icon in the colour of text.
QIcon icon(const QString& name);

}  // namespace nb
