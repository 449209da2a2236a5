#include "app/stations/hand_over/controls_view.hpp"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/stations/roles/rails_view.hpp"
#include "core/handover/goals.hpp"

namespace nb {

namespace {

constexpr double node_px = 4.0, node_reach_px = 9.0, words_px = 16.0, edge_px = 10.0;

}  // namespace

QString limb_word(const std::string& limb) {
    return side_and_role(limb);
}

QString goal_word(const std::string& goal) {
    if (is_pole(goal)) return QObject::tr("the pole of the %1").arg(side_and_role(goal));
    if (goal == "look") return QObject::tr("where it looks");
    return side_and_role(goal);
}

ControlsView::ControlsView(Workspace& workspace, ControlsDesk& desk, QWidget* parent)
    : Drawing(parent), workspace_(workspace), desk_(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("controls on the body"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    connect(&desk_, &ControlsDesk::changed, this, [this] {
        const auto& nodes = desk_.nodes();
        if (!node_.empty() && std::find(nodes.begin(), nodes.end(), node_) == nodes.end()) select({});
        update();
    });
    connect(&workspace_, &Workspace::rest_changed, this, [this] { update(); });
}

void ControlsView::select(const std::string& node) {
    if (node == node_) return;
    node_ = node;
    update();
    emit selected_changed();
}

std::string ControlsView::shared_by(const std::string& node) const {
    if (const ControlRig* rig = desk_.rig())
        for (const auto& [limb, keys] : rig->limbs)
            if (keys.node == node) return limb;
    return {};
}

int ControlsView::joint_of(const std::string& goal) const {
    const auto body = workspace_.target();
    if (!body) return -1;
    const RoleMap& roles = body->file.character.roles;
    if (is_pole(goal)) return limb_of_pole(roles, goal)[1];
    if (goal == "look") return roles.joint("head");
    const std::string part = role_part(goal), side(side_suffix(role_side(goal)));
    if (part == "wrist") return roles.joint("hand" + side);
    if (part == "ankle") return roles.joint("foot" + side);
    return roles.joint(goal);
}

ControlsView::Frame ControlsView::frame(From from) const {
    // What is drawn lies between these, m.
    double low = 0.0, high = 0.5, near = 1e9, far = -1e9;
    const auto reach = [&](const Vec3& p) {
        const double x = from == From::front ? p.x() : p.z();
        low = std::min(low, p.y());
        high = std::max(high, p.y());
        near = std::min(near, x);
        far = std::max(far, x);
    };
    for (const Vec3& p : desk_.places()) reach(p);
    if (const auto body = workspace_.target())
        for (const Vec3& p : body->file.character.rest.p_WJ0) reach(p);
    const double left = from == From::front ? edge_px : 0.62 * drawn_width();
    const double right = from == From::front ? 0.6 * drawn_width() : drawn_width() - edge_px;
    Frame frame;
    const double tall = drawn_height() - words_px - 2 * edge_px;
    frame.unit = std::max(1.0, std::min(tall / (high - low), (right - left) / std::max(0.3, far - near)));
    frame.x = 0.5 * (left + right);
    frame.low = drawn_height() - words_px - edge_px + frame.unit * low;
    frame.middle = 0.5 * (near + far);
    return frame;
}

QPointF ControlsView::at(const Vec3& p, From from, const Frame& frame) const {
    // From its left the body faces to the left of the picture.
    const double x = from == From::front ? p.x() - frame.middle : frame.middle - p.z();
    return {frame.x + frame.unit * x, frame.low - frame.unit * p.y()};
}

QPoint ControlsView::place_of(const std::string& node) const {
    const auto& nodes = desk_.nodes();
    const auto found = std::find(nodes.begin(), nodes.end(), node);
    if (found == nodes.end()) return {};
    return seen(at(desk_.places()[size_t(found - nodes.begin())], From::front, frame(From::front))).toPoint();
}

std::vector<std::string> ControlsView::nodes_at(const QPointF& units) const {
    std::vector<std::pair<double, std::string>> found;
    for (size_t n = 0; n < desk_.nodes().size(); ++n) {
        double least = node_reach_px;
        for (const From from : {From::front, From::left}) {
            const QPointF way = at(desk_.places()[n], from, frame(from)) - units;
            least = std::min(least, std::hypot(way.x(), way.y()));
        }
        // Of those in one place first the one that takes something.
        if (least < node_reach_px)
            found.emplace_back(least + (desk_.control(desk_.nodes()[n]) ? 0.0 : 0.5), desk_.nodes()[n]);
    }
    std::sort(found.begin(), found.end());
    std::vector<std::string> nodes;
    nodes.reserve(found.size());
    for (const auto& [apart, node] : found) nodes.push_back(node);
    return nodes;
}

QString ControlsView::words_of(const std::string& node) const {
    const QString name = QString::fromStdString(node);
    if (const std::string limb = shared_by(node); !limb.empty())
        return tr("%1 carries the share of the %2").arg(name, limb_word(limb));
    const Control* control = desk_.control(node);
    if (!control) return tr("%1 takes nothing").arg(name);
    const QString parts = control->has_place && control->has_turn ? tr("place and turn")
                          : control->has_place                    ? tr("place")
                          : control->has_turn                     ? tr("turn")
                                                                  : tr("neither place nor turn");
    return tr("%1 takes %2: %3").arg(name, goal_word(control->goal), parts);
}

void ControlsView::paint_view(QPainter& painter, From from) const {
    const Frame of = frame(from);
    const auto body = workspace_.target();
    if (!body) return;
    const Character& character = body->file.character;
    QColor bone = look().target;
    bone.setAlphaF(0.55F);
    painter.setPen(QPen(bone, 1.6, Qt::SolidLine, Qt::RoundCap));
    const Skeleton& skeleton = character.rig.skeleton;
    for (int j = 0; j < skeleton.size(); ++j) {
        const int parent = skeleton.parents[size_t(j)];
        if (parent < 0 || skeleton.parents[size_t(parent)] < 0) continue;
        painter.drawLine(at(character.rest.p_WJ0[size_t(parent)], from, of),
                         at(character.rest.p_WJ0[size_t(j)], from, of));
    }
    for (size_t n = 0; n < desk_.nodes().size(); ++n) {
        const std::string& node = desk_.nodes()[n];
        const QPointF here = at(desk_.places()[n], from, of);
        const Control* control = desk_.control(node);
        const bool is_chosen = node == node_;
        const QColor colour = is_chosen ? look().mark : control ? look().text : look().dim;
        if (control) {
            if (const int joint = joint_of(control->goal); joint >= 0) {
                painter.setPen(QPen(is_chosen ? look().mark : look().dim, 1, Qt::DotLine));
                painter.drawLine(here, at(character.rest.p_WJ0[size_t(joint)], from, of));
            }
        }
        painter.setPen(QPen(colour, is_chosen ? 1.8 : 1.2));
        if (!shared_by(node).empty()) {
            painter.drawLine(here + QPointF(-2, node_px + 1), here + QPointF(2, node_px + 1));
            painter.drawLine(here + QPointF(0, node_px + 1), here - QPointF(0, node_px + 1));
            painter.drawLine(here + QPointF(-2, -node_px - 1), here + QPointF(2, -node_px - 1));
            continue;
        }
        painter.setBrush(control ? QBrush(colour) : QBrush(look().ground));
        const double size = is_chosen ? node_px + 1.5 : node_px;
        // Round: a place; square: a turn alone.
        if (control && !control->has_place)
            painter.drawRect(QRectF(here.x() - 0.8 * size, here.y() - 0.8 * size, 1.6 * size, 1.6 * size));
        else
            painter.drawEllipse(here, size, size);
        painter.setBrush(Qt::NoBrush);
    }
}

void ControlsView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    if (const QString trouble = desk_.trouble(); !trouble.isEmpty()) {
        painter.setPen(look().dim);
        painter.drawText(drawn_rect().adjusted(16, 8, -16, -8), Qt::AlignCenter | Qt::TextWordWrap, trouble);
        return;
    }
    paint_view(painter, From::front);
    paint_view(painter, From::left);
    painter.setFont(letters(11));
    painter.setPen(look().dim);
    const QRectF line(edge_px, drawn_height() - words_px, drawn_width() - 2 * edge_px, words_px - 2);
    painter.drawText(line, Qt::AlignRight | Qt::AlignVCenter, tr("from its left"));
    painter.setPen(node_.empty() ? look().dim : look().text);
    painter.drawText(line.adjusted(0, 0, -80, 0), Qt::AlignLeft | Qt::AlignVCenter,
                     node_.empty()
                         ? tr("round: takes a place; square: a turn; hollow: nothing yet. Click one.")
                         : words_of(node_));
}

void ControlsView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const auto nodes = nodes_at(drawn_at(event->position()));
    // Where several stand in one place, each click takes the next.
    const auto now = std::find(nodes.begin(), nodes.end(), node_);
    select(nodes.empty()                                  ? std::string()
           : now == nodes.end() || now + 1 == nodes.end() ? nodes.front()
                                                          : *(now + 1));
}

void ControlsView::keyPressEvent(QKeyEvent* event) {
    const auto& nodes = desk_.nodes();
    const bool is_next = event->key() == Qt::Key_Right || event->key() == Qt::Key_Down;
    if (nodes.empty() || (!is_next && event->key() != Qt::Key_Left && event->key() != Qt::Key_Up))
        return Drawing::keyPressEvent(event);
    const auto now = std::find(nodes.begin(), nodes.end(), node_);
    const int count = int(nodes.size()), index = now == nodes.end() ? -1 : int(now - nodes.begin());
    const int next = index < 0 ? (is_next ? 0 : count - 1) : (index + (is_next ? 1 : count - 1)) % count;
    select(nodes[size_t(next)]);
}

bool ControlsView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        QStringList lines;
        for (const std::string& node : nodes_at(drawn_at(help->pos()))) lines << words_of(node);
        QToolTip::showText(help->globalPos(), lines.join("\n"), this);
        return true;
    }
    if (event->type() == QEvent::ShortcutOverride) {
        // Else the window would step frames.
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up || key == Qt::Key_Down) {
            event->accept();
            return true;
        }
    }
    return Drawing::event(event);
}

}  // namespace nb
