// Rest: both bodies in one stance.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class RestPanel;
class RestSheet;

class RestStation : public Station {
    Q_OBJECT

  public:
    explicit RestStation(const StationContext& context);
    QString id() const override { return "rest"; }
    QString name() const override { return tr("Rest"); }
    QString promise() const override;
    QWidget* panel() override;
    QWidget* sheet() override;
    int sheet_height() const override { return 244; }
    double apart() const override { return 0.9; }
    int open_points() const override;
    void enter() override;
    void leave() override;
    /// Picks a role.
    void go_to(const QString& role) override;

  private:
    RestSheet* sheet_;
    RestPanel* panel_;
};

}  // namespace nb
