// What is given of the touch-up in hand: where, how much, about which axes, when; only what its kind uses is shown.
#pragma once
#include <QWidget>
#include <array>
#include <functional>
#include <vector>

#include "app/work/playback.hpp"
#include "app/work/touch_edits.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QGridLayout;
class QLabel;
class QLineEdit;

namespace nb {

class TouchForm : public QWidget {
    Q_OBJECT

  public:
    TouchForm(Workspace& workspace, Playback& playback, TouchEdits& edits, QWidget* parent = nullptr);
    /// Shows what is in hand.
    void refresh();

  signals:
    void said(const QString& line);

  private:
    Workspace& workspace_;
    Playback& playback_;
    TouchEdits& edits_;
    QLabel* about_;
    QComboBox *what_, *stage_, *axes_, *pose_, *damp_by_;
    QLineEdit* hand_name_;
    std::array<QDoubleSpinBox*, 3> degrees_{}, centimetres_{};
    QDoubleSpinBox *heading_, *opening_, *cut_off_, *keep_, *range_, *percent_;
    QCheckBox *other_side_, *replaces_, *travel_, *whole_, *ends_stay_;
    std::array<QDoubleSpinBox*, 4> when_{};  ///< from, to, arrive, release
    struct Row {
        QLabel* name = nullptr;
        std::vector<QWidget*> fields;
        std::function<bool(const TouchUp&)> is_used;
    };
    std::vector<Row> rows_;
    bool is_filling_ = false;

    void add_row(QGridLayout& grid, const QString& name, std::vector<QWidget*> fields,
                 std::function<bool(const TouchUp&)> is_used);
    QDoubleSpinBox* number(const QString& name, const QString& tip, double least, double most, double step,
                           const QString& unit, std::function<void(TouchUp&, double)> set);
    QCheckBox* tick(const QString& name, const QString& tip, std::function<void(TouchUp&, bool)> set);
    QComboBox* choice(const QString& name, const QString& tip, std::function<void(TouchUp&, int)> set);
    void change(const QObject* field, const std::function<void(TouchUp&)>& edit);
    void fill_what(const TouchUp& touch);
    void fill_axes(const TouchUp& touch);
    void fill_poses(const TouchUp& touch);
    void keep_hand();
};

}  // namespace nb
