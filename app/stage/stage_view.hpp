// The stage view: both bodies on one floor. Orbit, pan, zoom, named views, spread, picking, trails.
#pragma once
#include <QElapsedTimer>
#include <QOpenGLWidget>
#include <QTimer>
#include <memory>

#include "app/stage/follow_camera.hpp"
#include "app/stage/foot_insets.hpp"
#include "app/stage/place_handle.hpp"
#include "app/stage/turn_handle.hpp"
#include "app/work/playback.hpp"
#include "app/work/workspace.hpp"
#include "core/rest/edit.hpp"
#include "core/surface/surface.hpp"
#include "draw/renderer.hpp"

namespace nb {

class StageWords;

class StageView : public QOpenGLWidget {
    Q_OBJECT

  public:
    enum class Shown { both, source, target };
    /// What the bodies do: the take; nothing, in their aligned rests; nothing, in the rests of their files.
    enum class Stand { take, aligned, stored };

    StageView(Workspace& workspace, Playback& playback, QWidget* parent = nullptr);
    ~StageView() override;

    const Camera& camera() const { return camera_; }
    /// The place on the floor of the source's world that is seen at a point of the stage; empty beside it and in the sky.
    std::optional<Vec3> floor_of_source_at(const QPointF& at) const;
    /// Where on it what is being opened was dropped, once: asking forgets it.
    void note_drop(const std::optional<Vec3>& at_m) { dropped_m_ = at_m; }
    std::optional<Vec3> take_drop() { return std::exchange(dropped_m_, std::nullopt); }
    View view() const { return view_; }
    double spread() const { return spread_; }
    Shown shown() const { return shown_; }
    void set_view(View view);
    /// Three-quarter, front, side, top, and round.
    void next_view() { set_view(View((int(view_) + 1) % 4)); }
    /// From where the view looks to: back for front, below for top.
    void opposite_view() { set_view(opposite(view_)); }
    void set_spread(double share);  ///< 0 over each other, 1 side by side
    void set_shown(Shown shown);
    void set_long_lens(bool on);
    bool is_long_lens() const { return is_long_lens_; }
    /// How a body is drawn; a body without a mesh is always drawn as bones.
    void set_body_look(bool of_target, BodyLook body_look);
    BodyLook body_look(bool of_target) const { return of_target ? target_look_ : source_look_; }
    void set_insets(bool on);
    bool has_insets() const { return has_insets_; }
    void set_trail(bool on);
    bool has_trail() const { return has_trail_; }
    /// Names of bones on the bodies; lines between bones that drive each other; the source as large as the
    /// target, for the eye alone.
    void set_names(bool on);
    bool has_names() const { return has_names_; }
    void set_links(bool on);
    bool has_links() const { return has_links_; }
    /// Rings about the bones: the skin that the pass touch goes by (core/surface).
    void set_rings(bool on);
    bool has_rings() const { return has_rings_; }
    void set_source_sized(bool on);
    bool is_source_sized() const { return is_source_sized_; }
    void set_stand(Stand stand);
    Stand stand() const { return stand_; }
    /// How far apart rests are, on the bodies; shown while they stand.
    void set_arcs(std::vector<GapArc> arcs);
    const std::vector<GapArc>& arcs() const { return arcs_; }
    /// Whether the selected bone can be turned by hand, and about which axes.
    void set_handle(bool on, TurnAxes axes);
    /// The handle about the selected bone as it is seen; empty when there is none.
    std::optional<TurnHandle> handle() const;
    bool is_turning() const { return turning_.has_value(); }
    /// Whether the selected bone of the target (of the source) can be brought elsewhere by hand, along which axes (world).
    void set_place_handle(bool on, const Quat& R_WA = Quat::Identity(), bool of_target = true);
    std::optional<PlaceHandle> place_handle() const;
    bool is_placing() const { return placing_.has_value(); }
    /// Lets go of either handle and says so: nothing is turned, nothing moved.
    void cancel_turn();
    /// Where a point in the world is seen: of the source's or the target's body as shown, px.
    QPointF seen_at(bool in_target, const Vec3& p_m) const;
    void frame_selection();  ///< the selected bone, else both bodies
    void select(bool in_target, int joint);
    int selected_joint() const { return selected_joint_; }
    bool is_selected_in_target() const { return is_selected_in_target_; }
    /// The bone under a point of the widget; -1 for none.
    int bone_at(const QPointF& at, bool& in_target) const;
    /// Another cast of the scene under a point of the widget; -1 for none.
    int cast_at(const QPointF& at) const;
    /// All bones under a point, nearest first: (in target, joint).
    std::vector<std::pair<bool, int>> bones_at(const QPointF& at) const;
    /// The pinned result's bones as they are seen, px; empty when nothing is pinned.
    std::vector<Stroke2> pinned_strokes() const;
    /// Why nothing is drawn; empty while all is well.
    QString trouble() const { return trouble_; }
    /// Drawn frames a second over the last second of playing; 0 before.
    double drawn_per_second() const { return drawn_per_second_; }
    QSize minimumSizeHint() const override { return {320, 240}; }

  signals:
    void view_changed();
    void selection_changed();
    void cast_picked(int cast);  ///< another one of the scene, on its body
    void trouble_found(const QString& line);
    void turn_begun(bool of_target, int joint);
    /// The whole turn since it began, in world axes of the aligned rest.
    void turned(bool of_target, int joint, const nb::Quat& turn_W);
    void turn_ended(bool is_kept);
    void place_begun(int joint);
    /// The whole way since it began, world, m.
    void placed(int joint, const nb::Vec3& by_m);
    void place_ended(bool is_kept);

  protected:
    void initializeGL() override;
    void paintGL() override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    Workspace& workspace_;
    Playback& playback_;
    std::unique_ptr<Renderer> renderer_;
    InsetFigures* figures_;
    Camera camera_;
    View view_ = View::three_quarter;
    double spread_ = 0.75;
    Shown shown_ = Shown::both;
    bool is_long_lens_ = true;
    BodyLook source_look_ = BodyLook::bones;
    BodyLook target_look_ = BodyLook::mesh;
    bool has_insets_ = true;
    bool has_trail_ = true;
    bool has_names_ = false;
    bool has_links_ = false;
    bool has_rings_ = false;
    std::optional<Vec3> dropped_m_;
    /// Skins of the source's and the target's body as last drawn, and whose they are.
    mutable std::array<std::pair<LoadedPtr, BodySurface>, 2> skins_;
    /// Of which result, cast and view that was found.
    mutable struct {
        std::shared_ptr<const SceneResult> result;
        size_t in_hand = 0;
        Vec3 aside = Vec3::Zero();
        double m = 0.0;
    } source_aside_;
    bool is_source_sized_ = false;
    int selected_joint_ = -1;
    bool is_selected_in_target_ = true;
    int hovered_joint_ = -1;
    int hovered_cast_ = -1;
    bool is_hovered_in_target_ = true;
    Vec3 pan_m_ = Vec3::Zero();  ///< of the focus beside the followed point
    Vec3 aside_ = Vec3::UnitX();
    QPointF pressed_at_, last_at_, picked_at_;
    bool is_dragged_ = false;
    bool is_fitted_ = true;  ///< the span follows the bodies until somebody zooms
    QTimer still_;           ///< fires when nothing has moved for a moment: the picture is drawn finely then
    bool is_fine_ = false;
    Stand stand_ = Stand::take;
    std::array<Pose, 2> standing_;  ///< source, target, while they stand
    std::vector<GapArc> arcs_;
    bool has_handle_ = false;
    TurnAxes handle_axes_ = TurnAxes::bone;
    struct Turning {
        TurnHandle handle;
        Quat beyond;  ///< from the aligned rest to the picture
        int axis = 0;
        double taken_at_rad = 0.0;
        double angle_rad = 0.0;
    };
    std::optional<Turning> turning_;
    bool has_arms_ = false;
    bool are_arms_of_target_ = true;
    Quat arms_axes_ = Quat::Identity();
    struct Placing {
        PlaceHandle handle;
        int part = 0;
        Vec3 by_m = Vec3::Zero();
    };
    std::optional<Placing> placing_;
    int lit_arm_ = -1;
    int lit_hoop_ = -1;
    StageWords* words_;
    QString trouble_;
    QElapsedTimer drawn_clock_;
    int drawn_ = 0;
    double drawn_per_second_ = 0.0;

    std::vector<FollowedBody> followed_bodies(int frame) const;
    /// A joint's place at a frame, not moved aside; without one while nothing tells it.
    std::optional<Vec3> place_of(bool in_target, int joint, int frame) const;
    PlaceMap source_map() const;
    /// Where a place of a body is shown.
    Vec3 shown_at(bool in_target, const Vec3& p_m) const;
    std::vector<Stroke2> link_strokes(const Scene& scene) const;
    std::vector<Stroke2> ring_strokes(const Scene& scene) const;
    std::vector<std::pair<QPointF, QString>> bone_names() const;
    double spread_m() const;
    bool is_scene() const;
    /// How far aside the source stands of all casts of the scene, whole, m.
    double source_aside_m() const;
    Scene scene_at(int frame) const;
    /// The other casts of the scene, with what goes through their takes; which these are.
    std::vector<size_t> add_others(Scene& scene, int frame) const;
    std::vector<std::pair<QPointF, QString>> scene_words() const;
    void poses_at(int frame, Pose& source, Pose& target) const;
    void refresh_stand();
    Vec3 moved_m(bool in_target) const;
    Quat beyond_rest(bool in_target, int joint) const;
    void show_words();
    void refresh();
    void place_camera();
    void let_go_of_fit();
};

}  // namespace nb
