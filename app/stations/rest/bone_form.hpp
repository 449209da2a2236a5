// The picked bone in exact values: how far it is turned by hand about each axis, whether the other side
// follows, and what can be done to it, its limb or the whole body.
#pragma once
#include <QWidget>
#include <array>

#include "core/rest/character.hpp"
#include "core/rest/edit.hpp"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;

namespace nb {

class BoneForm : public QWidget {
    Q_OBJECT

  public:
    enum class Scope { bone, limb, body };
    explicit BoneForm(QWidget* parent = nullptr);
    /// `character` may be null.
    void show_bone(const Character* character, const std::string& role);
    TurnAxes axes() const;
    bool is_mirrored() const;
    Scope scope() const;

  signals:
    void axes_chosen();
    void corrected(const nb::Vec3& deg);  ///< typed, about the axes chosen
    void solve_wanted();
    void reset_wanted();
    void copy_wanted();
    void snap_wanted(nb::Snap snap);

  private:
    bool is_filling_ = false;
    QLabel* about_;
    QComboBox *axes_, *scope_;
    std::array<QDoubleSpinBox*, 3> degrees_;
    QCheckBox* mirror_;
    std::array<QPushButton*, 3> scoped_{}, snaps_{};
};

}  // namespace nb
