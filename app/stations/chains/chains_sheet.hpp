// The sheet of Chains: two pages, the ruler and the bone map.
#pragma once
#include <QWidget>

#include "app/stations/chains/chain_ruler.hpp"
#include "app/stations/chains/map_page.hpp"

class QStackedWidget;
class QToolButton;

namespace nb {

class ChainsSheet : public QWidget {
    Q_OBJECT

  public:
    ChainsSheet(Workspace& workspace, ChainEdits& edits, QWidget* parent = nullptr);
    ChainRuler& ruler() { return *ruler_; }
    MapPage& map() { return *map_; }
    void show_map(bool on);
    bool has_map() const;

  signals:
    void page_shown(bool is_map);

  private:
    ChainRuler* ruler_;
    MapPage* map_;
    QStackedWidget* pages_;
    QToolButton *ruler_button_, *map_button_;
};

}  // namespace nb
