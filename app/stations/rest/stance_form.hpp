// The stance bodies are solved for, as fields. They show the stance of the alignment in force until somebody
// sets another one to solve for.
#pragma once
#include <QWidget>

#include "core/rest/stance.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;

namespace nb {

/// A number field of the station: one decimal, a unit, named for assistive tools.
QDoubleSpinBox* rest_field(const QString& name, const QString& tip, double least, double most,
                           const QString& unit, QWidget* parent);

class StanceForm : public QWidget {
    Q_OBJECT

  public:
    explicit StanceForm(QWidget* parent = nullptr);
    Stance stance() const;
    void show_stance(const Stance& stance);

  private:
    QComboBox* kind_;
    QDoubleSpinBox *arms_, *thumb_;
    QCheckBox *straight_, *closed_, *level_clavicles_, *straight_spine_;
};

}  // namespace nb
