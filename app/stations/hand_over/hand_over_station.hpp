// Hand over: what leaves is what was seen. An order says which results, how, where and under which names; every file
// is listed before it is written, and read back afterwards. Clips of one body are joined here, and an animator's controls
// are set up.
#pragma once
#include <array>

#include "app/stations/station.hpp"

class QStackedWidget;
class QToolButton;

namespace nb {

class ControlsDesk;
class ControlsPage;
class HandOverDesk;
class HandOverPanel;
class HandOverSheet;
class JoinDesk;
class JoinPage;

class HandOverStation : public Station {
    Q_OBJECT

  public:
    explicit HandOverStation(const StationContext& context);
    std::vector<StationAction> actions() override;
    void refresh_look() override;
    HandOverDesk& desk() { return *desk_; }
    JoinDesk& join_desk() { return *joins_; }
    JoinPage& join_page() { return *join_page_; }
    ControlsDesk& controls_desk() { return *controls_; }
    enum class Page { files, joining, controls };
    void show_page(Page page);

  private:
    Workspace& workspace_;
    HandOverDesk* desk_;
    JoinDesk* joins_;
    HandOverSheet* sheet_;
    JoinPage* join_page_;
    ControlsDesk* controls_;
    ControlsPage* controls_page_;
    HandOverPanel* panel_;
    QStackedWidget* pages_;
    std::array<QToolButton*, 3> page_words_{};

    QWidget* make_pages(QWidget* window);
};

}  // namespace nb
