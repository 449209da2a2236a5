// What is open, with its state: roles, the rest in force, what is not saved. A click puts it on the stage.
#pragma once
#include <QListWidget>

#include "app/work/workspace.hpp"

namespace nb {

class OpenList : public QListWidget {
    Q_OBJECT

  public:
    explicit OpenList(Workspace& workspace, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return {100, height_of(std::min(2, count()))}; }

  private:
    int height_of(int rows) const;
    Workspace& workspace_;
    std::vector<DocumentKey> keys_;

    void refresh();
};

}  // namespace nb
