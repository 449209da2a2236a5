// The line between stage and sheet: how the stage is looked at, what is selected, how far apart bodies stand.
#pragma once
#include <QWidget>

class QLabel;
class QSlider;

namespace nb {

class StageView;
class Workspace;

class StageBar : public QWidget {
    Q_OBJECT

  public:
    StageBar(Workspace& workspace, StageView& stage, QWidget* parent = nullptr);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    Workspace& workspace_;
    StageView& stage_;
    QLabel *view_, *over_, *beside_;
    QSlider* spread_;

    void refresh();
    void fit();
};

}  // namespace nb
