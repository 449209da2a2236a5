// Curves of one bone over the take: the source's and the target's over each other, and a pinned result's. The
// wheel zooms in time, a drag moves along, a click goes to the frame.
#pragma once
#include <QString>
#include <QWidget>
#include <string>

#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"
#include "core/review/curves.hpp"

class QComboBox;
class QCustomPlot;
class QCPItemLine;
class QCPItemText;
class QCPItemStraightLine;

namespace nb {

class StageView;

class CurvesView : public QWidget {
    Q_OBJECT

  public:
    CurvesView(Workspace& workspace, Playback& playback, StageView& stage, QWidget* parent = nullptr);
    void set_quantity(BoneQuantity quantity);
    BoneQuantity quantity() const { return quantity_; }
    /// A field that chooses it.
    QComboBox* quantity_choice(QWidget* parent);
    /// The role that is shown: that of the selected bone, else the hips.
    const std::string& role() const { return role_; }
    /// Draws the target without its touch-ups, too; it is carried when it is first seen.
    void show_without(bool on);
    /// What a curve shows at a frame; NaN when it is not there. 0 source, 1 target, 2 pinned, 3 without touch-ups.
    double value(int curve, int frame) const;
    /// Frames that are seen.
    std::pair<double, double> range() const;
    void refresh_look();

  protected:
    void showEvent(QShowEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    StageView& stage_;
    QCustomPlot* plot_;
    QCPItemStraightLine* now_;
    QCPItemText* words_;
    BoneQuantity quantity_ = BoneQuantity::height;
    std::string role_;
    int frames_ = 0;  ///< of what is shown
    bool is_stale_ = true;
    bool has_without_ = false;
    QPoint pressed_;

    void refresh();
    void refresh_now();
    void choose_role();
};

}  // namespace nb
