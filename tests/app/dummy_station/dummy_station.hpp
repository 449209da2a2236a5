// A station as an engineer would add one: a folder of its own, and one line in the list.
#pragma once
#include <QLabel>

#include "app/stations/station.hpp"

namespace nb::test {

class DummyStation : public Station {
    Q_OBJECT

  public:
    explicit DummyStation(const StationContext& context)
        : Station({"dummy", "Dummy", "Shows that a station is a folder and a line."}, context.window) {
        show_in_window(new QLabel("the dummy's panel", context.window));
    }
    int open_points() const override { return 3; }
    std::vector<StationAction> actions() override {
        return {{"dummy", "Do the dummy's work", {Qt::CTRL | Qt::Key_U}, [this] {
                     emit said("The dummy has worked.");
                 }}};
    }
    void enter() override { ++entered; }
    void leave() override { ++left; }
    void go_to(const QString& what) override { went_to = what; }

    int entered = 0, left = 0;
    QString went_to;
};

}  // namespace nb::test
