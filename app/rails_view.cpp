#include "app/rails_view.hpp"

#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "app/look.hpp"

namespace nb {

namespace {
constexpr double left_px = 104.0;
constexpr double head_px = 16.0;

/// What fills a role of the target; it lives as long as the target is in use. Null for a gap.
const RoleFill* fill_of(const Workspace& workspace, const QString& role) {
    const LoadedPtr target = workspace.target();
    return target ? target->file.character.roles.fill(role.toStdString()) : nullptr;
}

bool is_unsure(const RoleFill& fill) {
    return fill.confidence < unsure_below && !fill.is_by_hand;
}

}  // namespace

QString spoken_role(const std::string& role) {
    QString name = QString::fromStdString(role);
    for (const auto* side : {".left", ".right"})
        if (name.endsWith(side)) name.chop(int(qstrlen(side)));
    name.replace('.', ' ');
    if (name == "upperarm") return QObject::tr("upper arm");
    return name;
}

RailsView::RailsView(Workspace& workspace, QWidget* parent) : QWidget(parent), workspace_(workspace) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Rails"));
    connect(&workspace_, &Workspace::target_changed, this, [this] {
        is_waiting_ = false;
        update();
    });
}

std::vector<RailsView::Rail> RailsView::rails() const {
    std::vector<Rail> all;
    const LoadedPtr target = workspace_.target();
    if (!target) return all;
    const RoleMap& roles = target->file.character.roles;
    const auto has = [&](const std::string& role) { return roles.joint(role) >= 0; };
    Rail trunk{tr("trunk"), {}, {"hips"}};
    for (int i = 1; i <= 8 && has("spine." + std::to_string(i)); ++i)
        trunk.roles.push_back(QString("spine.%1").arg(i));
    trunk.roles.push_back("chest");
    for (int i = 1; i <= 4; ++i)
        if (i == 1 || has("neck." + std::to_string(i))) trunk.roles.push_back(QString("neck.%1").arg(i));
    trunk.roles.push_back("head");
    all.push_back(trunk);
    const auto pair = [&](const QString& name, const std::vector<QString>& parts) {
        for (const auto* side : {"left", "right"}) {
            Rail rail{
                side == std::string("left") ? name : QString(), side == std::string("left") ? "L" : "R", {}};
            for (const QString& part : parts) rail.roles.push_back(part + "." + side);
            all.push_back(rail);
        }
    };
    pair(roles.plan == "quadruped" ? tr("fore leg") : tr("arm"), {"clavicle", "upperarm", "forearm", "hand"});
    if (roles.plan != "quadruped")
        pair(tr("fingers"), {"thumb.1", "index.1", "middle.1", "ring.1", "little.1"});
    pair(roles.plan == "quadruped" ? tr("hind leg") : tr("leg"), {"thigh", "shin", "foot", "toe"});
    return all;
}

QRectF RailsView::rung(const std::vector<Rail>& all, size_t rail, size_t place) const {
    size_t most = 6;
    for (const Rail& r : all) most = std::max(most, r.roles.size());
    const double wide = (width() - left_px - 12.0) / double(most);
    // Each group has a line of role names above it.
    double top = 6.0;
    double tall = 20.0;
    size_t groups = 0;
    for (const Rail& r : all) groups += !r.name.isEmpty();
    tall = std::clamp((height() - 14.0 - head_px * double(groups)) / double(std::max<size_t>(1, all.size())),
                      15.0, 24.0);
    for (size_t i = 0; i <= rail; ++i) {
        if (!all[i].name.isEmpty()) top += head_px;
        if (i < rail) top += tall;
    }
    return {left_px + wide * double(place), top, wide - 8.0, tall};
}

QRectF RailsView::place_of(const QString& role) const {
    const auto all = rails();
    for (size_t i = 0; i < all.size(); ++i)
        for (size_t k = 0; k < all[i].roles.size(); ++k)
            if (all[i].roles[k] == role) return rung(all, i, k);
    return {};
}

QString RailsView::role_at(const QPointF& at) const {
    const auto all = rails();
    for (size_t i = 0; i < all.size(); ++i)
        for (size_t k = 0; k < all[i].roles.size(); ++k)
            if (rung(all, i, k).adjusted(-4, 0, 4, 0).contains(at)) return all[i].roles[k];
    return {};
}

void RailsView::pick(const QString& role, bool wait) {
    picked_ = role;
    is_waiting_ = wait && !role.isEmpty();
    update();
    emit rung_picked(role);
}

bool RailsView::pick_next_open() {
    const LoadedPtr target = workspace_.target();
    if (!target) return false;
    const RoleMap& roles = target->file.character.roles;
    const auto unsure = roles.unsure();
    for (const Rail& rail : rails())
        for (const QString& role : rail.roles) {
            const std::string name = role.toStdString();
            const bool is_open =
                std::find(roles.missing.begin(), roles.missing.end(), name) != roles.missing.end() ||
                std::find(unsure.begin(), unsure.end(), name) != unsure.end();
            if (!is_open || role == picked_) continue;
            pick(role, true);
            return true;
        }
    return false;
}

void RailsView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), look().ground);
    const LoadedPtr target = workspace_.target();
    if (!target) {
        painter.setPen(look().dim);
        painter.drawText(rect(), Qt::AlignCenter, tr("The rails show a target's bones once there is one."));
        return;
    }
    const Character& c = target->file.character;
    const auto all = rails();
    QFont small = font();
    small.setPixelSize(10);
    QFont bold = font();
    bold.setBold(true);
    for (size_t i = 0; i < all.size(); ++i) {
        const QRectF first = rung(all, i, 0);
        const double line = first.bottom() - 2.0;
        painter.setPen(QPen(look().line, 2));
        painter.drawLine(QPointF(left_px, line),
                         QPointF(rung(all, i, all[i].roles.size() - 1).right(), line));
        painter.setPen(look().text);
        if (!all[i].name.isEmpty()) {
            painter.setFont(bold);
            painter.drawText(
                QRectF(12, first.top(), 70, first.height() * (all[i].side.isEmpty() ? 1.0 : 2.0)),
                Qt::AlignVCenter | Qt::AlignLeft, all[i].name);
        }
        painter.setFont(font());
        painter.setPen(look().dim);
        painter.drawText(QRectF(84, first.top(), 14, first.height()), Qt::AlignCenter, all[i].side);
        for (size_t k = 0; k < all[i].roles.size(); ++k) {
            const QString& role = all[i].roles[k];
            const QRectF place = rung(all, i, k);
            if (!all[i].name.isEmpty()) {
                painter.setFont(small);
                painter.setPen(look().dim);
                QString above = spoken_role(role.toStdString());
                if (above.endsWith(" 1") && !above.startsWith("spine") && !above.startsWith("neck"))
                    above.chop(2);
                painter.drawText(QRectF(place.left(), place.top() - 13, place.width(), 13), Qt::AlignLeft,
                                 above);
            }
            const bool is_picked = role == picked_;
            if (is_picked) {
                painter.setPen(QPen(look().mark, 1, is_waiting_ ? Qt::DashLine : Qt::SolidLine));
                painter.setBrush(Qt::NoBrush);
                painter.drawRoundedRect(place.adjusted(-4, 0, 2, 1), 3, 3);
            }
            painter.setFont(font());
            const RoleFill* fill = c.roles.fill(role.toStdString());
            if (!fill) {
                const std::string name = role.toStdString();
                const bool is_needed =
                    std::find(c.roles.missing.begin(), c.roles.missing.end(), name) != c.roles.missing.end();
                painter.setPen(is_needed ? look().text : look().dim);
                painter.drawText(place.adjusted(is_needed ? 16 : 0, 0, 0, -3),
                                 Qt::AlignVCenter | Qt::AlignLeft,
                                 is_needed ? tr("none yet") : tr("not in this rig"));
                if (is_needed) {
                    painter.setPen(QPen(look().mark, 1.6));
                    painter.drawPolyline(
                        QPolygonF({QPointF(place.left(), line - 8), QPointF(place.left() + 5, line),
                                   QPointF(place.left() + 10, line - 8)}));
                }
                continue;
            }
            painter.setPen(look().text);
            const QString bone = QString::fromStdString(c.rig.skeleton.names[size_t(fill->joint)]);
            painter.drawText(place.adjusted(0, 0, 0, -3), Qt::AlignVCenter | Qt::AlignLeft,
                             painter.fontMetrics().elidedText(bone, Qt::ElideMiddle, int(place.width())));
            painter.fillRect(
                QRectF(place.left(), line - 1.2, place.width() * std::clamp(fill->confidence, 0.0, 1.0), 2.4),
                look().mark);
            if (is_unsure(*fill)) {
                painter.setPen(QPen(look().mark, 1.6));
                const double x = place.left() + place.width() * fill->confidence;
                painter.drawPolyline(
                    QPolygonF({QPointF(x, line - 7), QPointF(x + 4, line), QPointF(x + 8, line - 7)}));
            }
        }
    }
}

void RailsView::mousePressEvent(QMouseEvent* event) {
    const QString role = role_at(event->position());
    const RoleFill* fill = fill_of(workspace_, role);
    pick(role, !fill || is_unsure(*fill));
}

void RailsView::mouseDoubleClickEvent(QMouseEvent* event) {
    pick(role_at(event->position()), true);
}

void RailsView::mouseMoveEvent(QMouseEvent* event) {
    const QString role = role_at(event->position());
    const RoleFill* fill = fill_of(workspace_, role);
    if (!fill) {
        QToolTip::hideText();
        return;
    }
    const auto& names = workspace_.target()->file.character.rig.skeleton.names;
    QString text = QString::fromStdString(names[size_t(fill->joint)]) +
                   tr(" · %1 % sure").arg(int(std::lround(100 * fill->confidence)));
    for (const auto& evidence : fill->evidence) text += "\n" + QString::fromStdString(evidence);
    QToolTip::showText(event->globalPosition().toPoint(),
                       text + tr("\nDouble click: give it to another bone"), this);
}

bool RailsView::event(QEvent* event) {
    // On the rails the arrows walk from rung to rung, not from frame to frame.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const int key = pressed->key();
        const bool is_own = key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up ||
                            key == Qt::Key_Down || key == Qt::Key_Delete ||
                            (key == Qt::Key_Escape && is_waiting_);
        if (is_own && pressed->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void RailsView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && is_waiting_) return pick(picked_, false);
    if (event->key() == Qt::Key_Return && !picked_.isEmpty()) return pick(picked_, true);
    if (event->key() == Qt::Key_Delete && !picked_.isEmpty()) {
        emit taken_away(picked_);
        return;
    }
    if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right || event->key() == Qt::Key_Up ||
        event->key() == Qt::Key_Down) {
        const auto all = rails();
        for (size_t i = 0; i < all.size(); ++i)
            for (size_t k = 0; k < all[i].roles.size(); ++k) {
                if (all[i].roles[k] != picked_) continue;
                const int rail =
                    std::clamp(int(i) + (event->key() == Qt::Key_Down) - (event->key() == Qt::Key_Up), 0,
                               int(all.size()) - 1);
                const int place =
                    std::clamp(int(k) + (event->key() == Qt::Key_Right) - (event->key() == Qt::Key_Left), 0,
                               int(all[size_t(rail)].roles.size()) - 1);
                return pick(all[size_t(rail)].roles[size_t(place)], false);
            }
        if (!all.empty()) return pick(all[0].roles[0], false);
    }
    QWidget::keyPressEvent(event);
}

}  // namespace nb
