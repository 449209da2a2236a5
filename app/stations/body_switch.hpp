// Two buttons that say whose body a panel shows: the take's (source) or the target's.
#pragma once
#include <QButtonGroup>
#include <array>

class QBoxLayout;

namespace nb {

class BodySwitch : public QButtonGroup {
    Q_OBJECT

  public:
    /// Adds the buttons to `row`; `names` and `tips` of the source's, then the target's.
    BodySwitch(const std::array<QString, 2>& names, const std::array<QString, 2>& tips, QBoxLayout* row,
               QWidget* parent);
    /// Shows it without saying so.
    void show_body(bool of_target);

  signals:
    void chosen(bool of_target);
};

}  // namespace nb
