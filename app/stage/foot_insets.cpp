#include "app/stage/foot_insets.hpp"

#include <QPainter>
#include <cmath>

#include "app/look/look.hpp"
#include "core/body/measures.hpp"

namespace nb {

namespace {

QSize inset_size() {
    return scaled(QSize(172, 126));
}
constexpr int gap_px = 10;
constexpr double span_of_stature = 0.20;

FootPoint point_of(const ReviewWindow& window) {
    return contact_point(window.point).value_or(ContactPoint()).point;
}

/// Where the point that a window holds was set down: the mean of its places on this body within the window.
Vec3 held_place(const Workspace& workspace, const ReviewWindow& window, const Sole& sole, bool of_target) {
    Vec3 sum = Vec3::Zero();
    int count = 0;
    const int step = std::max(1, (window.last - window.first) / 4);
    for (int f = window.first + step / 2; f < window.last; f += step) {
        Pose source, target;
        workspace.poses_at(f, source, target);
        const Pose& pose = of_target ? target : source;
        if (size_t(sole.ankle) >= pose.p.size()) continue;
        sum += sole.point(point_of(window), pose);
        ++count;
    }
    return count ? Vec3(sum / count) : sum;
}

/// The window of one of a foot's points around a frame; balls before heels, since they stand longer.
const ReviewWindow* window_at(const Review& review, const std::string& side, int frame) {
    const ReviewWindow* found = nullptr;
    for (const ReviewWindow& window : review.windows)
        if (window.point.ends_with(side) && frame >= window.first && frame < window.last &&
            (!found || window.point.starts_with("ball")))
            found = &window;
    return found;
}

}  // namespace

int inset_column_px(const QSize& view) {
    const bool is_large =
        view.width() >= 3 * inset_size().width() && view.height() >= 2 * (inset_size().height() + gap_px);
    return is_large ? inset_size().width() + 2 * gap_px : 0;
}

std::vector<FootInset> foot_insets(const Workspace& workspace, bool of_target, int frame, const Vec3& moved,
                                   const QSize& view) {
    const LoadedPtr loaded = of_target ? workspace.target() : workspace.source();
    if (!loaded || inset_column_px(view) == 0) return {};
    const Character& c = loaded->file.character;
    if (c.rest.R_WJ0.empty()) return {};
    const double stature_m = stature(c.rig.skeleton, c.roles);
    const auto review = workspace.review();
    std::vector<FootInset> insets;
    for (const bool is_left : {false, true}) {
        const std::string side = is_left ? ".left" : ".right";
        const Plan* plan = workspace.plan();
        Sole sole;
        if (plan && plan->program.ends[is_left ? 0 : 1].limb >= 0)
            sole = of_target ? plan->program.ends[is_left ? 0 : 1].sole
                             : plan->program.ends[is_left ? 0 : 1].S_sole;
        const bool has_sole = sole.ankle >= 0;
        int ankle_joint = c.roles.joint("foot" + side);
        // On four legs the ankle is a hock: the paw is what stands.
        if (c.roles.is_four_legged() && c.roles.joint("toe" + side) >= 0)
            ankle_joint = c.roles.joint("toe" + side);
        if (ankle_joint < 0) continue;
        FootInset inset;
        inset.is_left = is_left;
        // The camera follows smoothly: over a tenth of a second it moves from a foot in the air to one that
        // rests.
        Vec3 focus = Vec3::Zero();
        Vec3 ahead = Vec3::Zero();
        int count = 0;
        for (int f = frame - 6; f <= frame + 6; f += 2) {
            Pose source, target;
            workspace.poses_at(f, source, target);
            const Pose& pose = of_target ? target : source;
            if (size_t(ankle_joint) >= pose.p.size()) continue;
            const Vec3& ankle = pose.p[size_t(ankle_joint)];
            Vec3 toward =
                pose.R[size_t(ankle_joint)] * c.rest.R_WJ0[size_t(ankle_joint)].conjugate() * Vec3::UnitZ();
            toward.y() = 0;
            ahead += toward;
            const ReviewWindow* window = review && has_sole ? window_at(*review, side, f) : nullptr;
            Vec3 at = ankle + 0.05 * stature_m * toward;
            if (window) {
                at = held_place(workspace, *window, sole, of_target);
                if (point_of(*window) == FootPoint::heel) at += 0.08 * stature_m * toward;
                at.y() += 0.042 * stature_m;  // the floor in the lower third
            }
            focus += at;
            ++count;
            if (f != frame) continue;
            const FootPoint point = window ? point_of(*window) : FootPoint::ball;
            const Vec3 place = has_sole ? sole.point(point, pose) : ankle;
            inset.point_m = moved + place;
            const double rest = has_sole ? 0.0 : c.rest.p_WJ0[size_t(ankle_joint)].y();
            const double floor = window ? (of_target ? plan->program.map.k : 1.0) * window->level_m : 0.0;
            inset.above_cm = 100.0 * (place.y() - rest - floor);
            if (window) inset.held_m = moved + held_place(workspace, *window, sole, of_target);
        }
        if (count == 0 || ahead.norm() < 1e-6) continue;
        focus = focus / count + moved;
        const Vec3 out = (is_left ? 1.0 : -1.0) * Vec3::UnitY().cross(ahead.normalized());
        inset.camera.lens_rad = 0.0;
        inset.camera.yaw_rad = std::atan2(out.x(), out.z());
        inset.camera.pitch_rad = deg_to_rad(3.0);
        inset.camera.height_m = span_of_stature * stature_m;
        inset.camera.focus_m = Vec3(focus.x(), focus.y(), focus.z());
        const int row = is_left ? 2 : 1;
        inset.place = QRect(QPoint(view.width() - inset_size().width() - gap_px,
                                   view.height() - row * (inset_size().height() + gap_px)),
                            inset_size());
        insets.push_back(inset);
    }
    return insets;
}

namespace {

/// Of the ruler above the inset's lower edge.
int base_px() {
    return scaled(14);
}

/// Pixels from the inset's upper left corner.
Eigen::Vector2d seen(const FootInset& inset, const Vec3& p) {
    return inset.camera.project(p, inset.place.width(), inset.place.height()).head<2>();
}

/// Where the ruler's centimetre `cm` lies; zero at the held point, or under the middle of the picture.
double ruler_x(const FootInset& inset, int cm) {
    const Vec3 zero = inset.held_m.value_or(inset.camera.focus_m);
    return seen(inset, zero + 0.01 * cm * inset.camera.right()).x();
}

int ruler_reach_cm(const FootInset& inset) {
    return int(std::ceil(100.0 * inset.camera.height_m * inset.place.width() / inset.place.height()));
}

}  // namespace

std::vector<Stroke2> inset_strokes(const FootInset& inset) {
    const double w = inset.place.width();
    const double h = inset.place.height();
    std::vector<Stroke2> strokes{{{0, 0.5}, {w, 0.5}},
                                 {{0, h - 0.5}, {w, h - 0.5}},
                                 {{0.5, 0}, {0.5, h}},
                                 {{w - 0.5, 0}, {w - 0.5, h}}};
    const double base = h - base_px();
    for (int cm = -ruler_reach_cm(inset); cm <= ruler_reach_cm(inset); ++cm) {
        const double x = std::floor(ruler_x(inset, cm)) + 0.5;
        if (x > 4 && x < w - 4) strokes.push_back({{x, base}, {x, base - (cm % 5 == 0 ? 6 : 3)}});
    }
    if (inset.held_m) {
        const Eigen::Vector2d held = seen(inset, *inset.held_m);
        strokes.push_back({held + Eigen::Vector2d(-5, 9), held, 1.6});
        strokes.push_back({held + Eigen::Vector2d(5, 9), held, 1.6});
        const Eigen::Vector2d now = seen(inset, inset.point_m);
        strokes.push_back({now - Eigen::Vector2d(2, 0), now + Eigen::Vector2d(2, 0), 4.0});
    }
    return strokes;
}

namespace {

void paint_figures(QPainter& painter, const FootInset& inset) {
    const QRect& place = inset.place;
    QColor band = look().ground;
    band.setAlpha(190);
    painter.fillRect(QRect(place.left() + 1, place.top() + 1, place.width() - 2, scaled(19)), band);
    QFont small = text_font(9);
    painter.setFont(small);
    painter.setPen(look().text);
    for (int cm = -ruler_reach_cm(inset) / 10 * 10; cm <= ruler_reach_cm(inset); cm += 10) {
        const double x = ruler_x(inset, cm);
        if (x < scaled(16) || x > place.width() - scaled(16)) continue;
        const QRectF figure(place.left() + x - scaled(14), place.bottom() - base_px() + 1, scaled(28),
                            scaled(12));
        painter.drawText(figure, Qt::AlignCenter,
                         cm == 0 && inset.held_m ? QStringLiteral("0 cm") : QString::number(cm));
    }
    QString text = inset.is_left ? QStringLiteral("L") : QStringLiteral("R");
    if (inset.held_m) {
        const Vec3 off = inset.point_m - *inset.held_m;
        text += QObject::tr("  rests · %1 cm off").arg(100.0 * std::hypot(off.x(), off.z()), 0, 'f', 1);
    } else {
        text += QObject::tr("  free");
    }
    // No minus before a zero.
    text += QObject::tr(" · %1 up").arg(std::round(10.0 * inset.above_cm) / 10.0 + 0.0, 0, 'f', 1);
    small.setPixelSize(scaled(11));
    painter.setFont(small);
    painter.drawText(place.adjusted(7, 4, -4, 0), Qt::AlignLeft | Qt::AlignTop, text);
}

}  // namespace

InsetFigures::InsetFigures(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setFocusPolicy(Qt::NoFocus);
}

void InsetFigures::show_insets(std::vector<FootInset> insets) {
    insets_ = std::move(insets);
    setVisible(!insets_.empty());
    if (insets_.empty()) return;
    // No larger than the insets: what lies over OpenGL is blended anew each frame.
    QRect all;
    for (const FootInset& inset : insets_) all |= inset.place.adjusted(-1, -1, 2, 2);
    if (all.isValid() && all != geometry()) setGeometry(all);
    update();
}

void InsetFigures::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.translate(-pos());
    for (const FootInset& inset : insets_) paint_figures(painter, inset);
}

}  // namespace nb
