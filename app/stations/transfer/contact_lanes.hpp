// The lanes under the error strip: when heel and ball of each foot are held, or each paw; toe tips, wrists,
// knees and seat where that is said by hand; and when hands touch the body or hold a thing. Ends are dragged, windows
// drawn, removed, given another kind; everything is kept with the take and serves every target.
#pragma once
#include <QWidget>
#include <string>
#include <vector>

#include "app/look/drawing.hpp"
#include "app/stations/transfer/frame_scale.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"
#include "core/contact/touches.hpp"

class QMenu;
class QUndoStack;

namespace nb {

/// Of a contact's point: "heel L", "palm R".
QString point_words(const std::string& point);
/// Of what it is on: "hips", "thigh L", "crate".
QString support_words(const std::string& on);

class ContactLanes : public Drawing {
    Q_OBJECT

  public:
    ContactLanes(Workspace& workspace, Playback& playback, QUndoStack& undo, QWidget* parent = nullptr);
    QSize sizeHint() const override { return scaled(QSize{600, height_px()}); }
    QSize minimumSizeHint() const override { return scaled(QSize{300, height_px()}); }
    static constexpr int lane_px = 13;

    /// Index of the chosen contact in `Workspace::contacts()`, -1 for none.
    int chosen() const { return chosen_; }
    void choose(int index);
    /// Of the contacts of a foot ("foot.left") the one nearest to a frame; says it.
    void choose_at(const QString& foot, int frame);
    /// What is said of a contact: where it stands, on what, how sure it holds on this target.
    QString why(int index) const;
    /// Where a frame lies in a lane, px: "ball.left", 120.
    QPoint place_of(const QString& point, int frame) const;
    /// Points that could be held and have no lane yet: toe tips, wrists, knees, seat, palms, finger tips.
    std::vector<std::string> further_points() const;
    /// Holds a point for a quarter of a second about the shown frame; it gets a lane with that.
    void hold_here(const std::string& point);

  public slots:
    void remove_chosen();
    void set_kind(ContactKind kind);
    /// What the chosen touch lies on, and whether it is held.
    void set_touch(const std::string& on, bool is_unsure);
    void find_anew();
    /// What hands do in the take, in one choice.
    /// How a thing that hands hold goes beside every target.
    void set_thing(const std::string& thing, const ThingRule& rule);
    void set_hands(HandsDo what);

  signals:
    void explained(const QString& line);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    enum class Grip { none, first, last, whole };
    struct Hit {
        int lane = -1;
        int index = -1;
        Grip grip = Grip::none;
    };

    Workspace& workspace_;
    Playback& playback_;
    QUndoStack& undo_;
    std::vector<std::string> lanes_;  ///< points, from above
    int chosen_ = -1;
    Hit drag_;
    int drag_frame_ = 0;
    Contact drag_before_;
    int drag_count_ = 0;  ///< each drag is a topic of its own
    double shown_x_ = 0.0;

    int height_px() const { return int(lanes_.size()) * lane_px + 4; }
    void set_lanes();
    /// Height of what holds a new contact of a point over `span`, in the source's world, m.
    double level_for(const Contact& contact) const;
    /// What holds a new contact: its level, of a hand what it lies on. False without any.
    bool set_support(Contact& contact) const;
    void add_kind_actions(QMenu& menu, const Contact& contact);
    void add_touch_actions(QMenu& menu, const Contact& contact);
    void add_thing_actions(QMenu& menu, const std::string& thing);
    FrameScale frame_scale() const { return {drawn_width(), playback_.frames()}; }
    double x_of(double frame) const { return frame_scale().x_of(frame); }
    int frame_at(double x) const;
    Hit hit(const QPoint& at) const;
    /// Pushes contacts with one changed; what is chosen stays chosen.
    void change(const Contacts& contacts, const Contact& chosen, const QString& text, int topic = -1);
    int index_of(const Contact& contact) const;
};

}  // namespace nb
