// Things that are put on the take's stage: where each stands, which hand takes it, and when. One of them is in hand: its
// arms are on the stage.
#pragma once
#include <QWidget>
#include <functional>

#include "app/work/loaded.hpp"
#include "core/rig/load_options.hpp"

class QVBoxLayout;

namespace nb {

class Playback;

class ThingsForm : public QWidget {
    Q_OBJECT

  public:
    explicit ThingsForm(Playback& playback, QWidget* parent = nullptr);
    void show_take(const LoadedPtr& take);
    /// Puts the mesh of a file on the stage, beside the body; it is in hand then.
    /// `at_m`: in the take's world; else ahead of the body.
    void add(const QString& file, const std::optional<Vec3>& at_m = {});
    /// Which of the take's things has its arms on the stage; -1: none.
    int in_hand() const { return in_hand_; }
    void take_in_hand(int thing);
    /// Brings the thing in hand elsewhere, m; from where it was when the drag began.
    void move_by(const Vec3& by_m);

  signals:
    void changed(const nb::LoadOptions& options, const QString& text);
    void in_hand_changed();

  private:
    Playback& playback_;
    LoadedPtr take_;
    LoadOptions options_;
    int in_hand_ = -1;
    bool is_filling_ = false;
    QWidget* rows_box_ = nullptr;
    QVBoxLayout* rows_;

    void change(const QString& text, const std::function<void(LoadOptions&)>& edit);
    void fill();
    QWidget* row_of(size_t i);
    int frame_at(double t_s) const;
    double time_at(int frame) const;
    void bring_to_hand(size_t i);
};

}  // namespace nb
