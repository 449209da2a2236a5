// Intake: what is in the files, and how to repair it.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class IntakePanel;
class IntakeSheet;

class IntakeStation : public Station {
    Q_OBJECT

  public:
    explicit IntakeStation(const StationContext& context);
    QString id() const override { return "intake"; }
    QString name() const override { return tr("Intake"); }
    QString promise() const override;
    QWidget* panel() override;
    QWidget* sheet() override;
    double apart() const override { return 0.65; }
    int open_points() const override;

  private:
    IntakeSheet* sheet_;
    IntakePanel* panel_;
};

}  // namespace nb
