#include "app/stations/roles/rails_view.hpp"

#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "app/look/look.hpp"

namespace nb {

namespace {
constexpr double left_px = 104.0;
constexpr double rail_head_px = 16.0;
constexpr double readable_px = 120.0;  // most names of bones

/// What fills a role of a body; it lives as long as the body is in use. Null for a gap.
const RoleFill* fill_of(const LoadedPtr& body, const QString& role) {
    return body ? body->file.character.roles.fill(role.toStdString()) : nullptr;
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

QString side_and_role(const std::string& role) {
    const Side side = role_side(role);
    return spoken_role(role) + (side == Side::left ? " L" : side == Side::right ? " R" : "");
}

RailsView::RailsView(Workspace& workspace, QWidget* parent) : Drawing(parent), workspace_(workspace) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Rails"));
    for (const bool of_target : {true, false})
        connect(&workspace_, of_target ? &Workspace::target_changed : &Workspace::source_changed, this,
                [this, of_target] {
                    if (of_target != is_of_target_) return;
                    is_waiting_ = false;
                    picked_chain_.clear();
                    update();
                });
}

void RailsView::show_hands(bool on) {
    if (shows_hands_ == on) return;
    shows_hands_ = on;
    if (!picked_chain_.isEmpty()) pick_chain({});
    update();
    emit hands_shown(on);
}

/// A rail a finger: the palm's bone and the links, of the left hand above the right one's.
std::vector<RailsView::Rail> RailsView::hand_rails() const {
    std::vector<Rail> all;
    for (const QString finger : {"thumb", "index", "middle", "ring", "little"})
        for (const QString side : {"left", "right"}) {
            Rail rail{
                side == "left" ? finger : QString(), side == "left" ? "L" : "R", {}, finger + "." + side, {}};
            for (const QString link : {"palm", "1", "2", "3", "4"}) {
                const QString role = finger + "." + link + "." + side;
                if (link == "4" && !fill_of(body(), role)) continue;
                rail.roles.push_back(role);
                rail.chains.push_back(rail.chain);
            }
            all.push_back(rail);
        }
    return all;
}

/// How many of a group's roles have a bone: "8 of 8".
QString RailsView::count_of(const std::vector<Rail>& all, size_t rail) const {
    const RoleMap& roles = body()->file.character.roles;
    int has = 0;
    int of = 0;
    for (size_t i = rail; i < all.size() && (i == rail || all[i].name.isEmpty()); ++i)
        for (const QString& role : all[i].roles) {
            ++of;
            has += roles.joint(role.toStdString()) >= 0;
        }
    return shows_hands_ ? tr("%1 bones").arg(has) : tr("%1 of %2").arg(has).arg(of);
}

/// Further bones that a role's bone goes on in.
QStringList RailsView::pieces_of(const std::string& role) const {
    QStringList pieces;
    const Character& c = body()->file.character;
    for (const TwistBone& twist : c.roles.twists)
        if (twist.role == role)
            pieces << tr("%1 takes %2 % of its turn")
                          .arg(QString::fromStdString(c.rig.skeleton.names[size_t(twist.joint)]))
                          .arg(std::lround(100.0 * twist.share));
    return pieces;
}

std::vector<RailsView::Rail> RailsView::rails() const {
    std::vector<Rail> all;
    const LoadedPtr target = body();
    if (!target) return all;
    const RoleMap& roles = target->file.character.roles;
    if (shows_hands_ && !roles.is_four_legged()) return hand_rails();
    const auto has = [&](const std::string& role) { return roles.joint(role) >= 0; };
    Rail trunk{tr("trunk"), {}, {"hips"}, {}, {QString()}};
    for (int i = 1; i <= 8 && has("spine." + std::to_string(i)); ++i)
        trunk.roles.push_back(QString("spine.%1").arg(i));
    trunk.roles.push_back("chest");
    trunk.chains.resize(trunk.roles.size(), "spine");
    for (int i = 1; i <= 4; ++i)
        if (i == 1 || has("neck." + std::to_string(i))) trunk.roles.push_back(QString("neck.%1").arg(i));
    trunk.roles.push_back("head");
    trunk.chains.resize(trunk.roles.size(), "neck");
    all.push_back(trunk);
    const auto pair = [&](const QString& name, const std::vector<QString>& parts, const QString& chain) {
        for (const QString side : {"left", "right"}) {
            Rail rail{side == "left" ? name : QString(), side == "left" ? "L" : "R", {}, {}, {}};
            if (!chain.isEmpty()) rail.chain = chain + "." + side;
            for (const QString& part : parts) {
                rail.roles.push_back(part + "." + side);
                rail.chains.push_back(chain.isEmpty() ? part.section('.', 0, 0) + "." + side : rail.chain);
            }
            all.push_back(rail);
        }
    };
    const bool is_quadruped = roles.is_four_legged();
    std::vector<QString> arm{"clavicle", "upperarm", "forearm", "hand"};
    if (is_quadruped) arm.push_back("paw");
    pair(is_quadruped ? tr("fore leg") : tr("arm"), arm, "arm");
    if (!is_quadruped) pair(tr("fingers"), {"thumb.1", "index.1", "middle.1", "ring.1", "little.1"}, {});
    pair(is_quadruped ? tr("hind leg") : tr("leg"), {"thigh", "shin", "foot", "toe"}, "leg");
    // What only this plan has: tails, ears, and what users write.
    for (const ChainPlan& chain : body_plan(roles.plan).chains) {
        if (chain.words.empty()) continue;
        const QString name = QString::fromStdString(chain.name);
        const Side side = role_side(chain.roles.front());
        Rail rail{side == Side::right ? QString() : name.section('.', 0, 0),
                  side == Side::none   ? ""
                  : side == Side::left ? "L"
                                       : "R",
                  {},
                  name,
                  {}};
        for (size_t i = 0; i < chain.roles.size(); ++i)
            if (i == 0 || has(chain.roles[i])) {
                rail.roles.push_back(QString::fromStdString(chain.roles[i]));
                rail.chains.push_back(name);
            }
        all.push_back(rail);
    }
    return all;
}

QRectF RailsView::rung(const std::vector<Rail>& all, size_t rail, size_t place) const {
    // Rungs of all rails are equally wide; those of short rails are wider where names would not be read else.
    size_t most = 6;
    for (const Rail& r : all) most = std::max(most, r.roles.size());
    const double whole = drawn_width() - left_px - 12.0;
    const double even = whole / double(most);
    const double wide = std::clamp(whole / double(std::max<size_t>(1, all[rail].roles.size())), even,
                                   std::max(even, readable_px));
    // Each group has a line of role names above it.
    double top = 6.0;
    double tall = 20.0;
    size_t groups = 0;
    for (const Rail& r : all) groups += !r.name.isEmpty();
    // Fingers share the one line of names above the first.
    const double later_px = shows_hands_ ? 6.0 : rail_head_px;
    const double heads = groups == 0 ? 0.0 : rail_head_px + later_px * double(groups - 1);
    tall = std::clamp((drawn_height() - 14.0 - heads) / double(std::max<size_t>(1, all.size())), 15.0, 24.0);
    for (size_t i = 0; i <= rail; ++i) {
        if (!all[i].name.isEmpty()) top += i == 0 ? rail_head_px : later_px;
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

void RailsView::show_body(bool of_target) {
    if (is_of_target_ == of_target) return;
    is_of_target_ = of_target;
    picked_.clear();
    picked_chain_.clear();
    is_waiting_ = false;
    update();
    emit body_shown(of_target);
}

QRectF RailsView::place_of_chain(const QString& chain) const {
    const auto all = rails();
    for (size_t i = 0; i < all.size(); ++i) {
        const QRectF first = rung(all, i, 0);
        if (all[i].chain == chain) return {10, first.top(), left_px - 16, first.height()};
        // Fingers, spine and neck have their names above their first rung.
        for (size_t k = 0; k < all[i].roles.size() && all[i].chain.isEmpty(); ++k)
            if (all[i].chains[k] == chain) {
                const QRectF place = rung(all, i, k);
                if (!all[i].name.isEmpty()) return {place.left(), place.top() - 13, place.width(), 13};
                return {place.right() - 12, place.top(), 14, place.height()};
            }
    }
    return {};
}

void RailsView::pick_chain(const QString& chain) {
    picked_.clear();
    picked_chain_ = chain;
    is_waiting_ = !chain.isEmpty();
    update();
    emit rung_picked({});
}

void RailsView::pick(const QString& role, bool wait) {
    picked_ = role;
    picked_chain_.clear();
    is_waiting_ = wait && !role.isEmpty();
    update();
    emit rung_picked(role);
}

bool RailsView::pick_next_open() {
    const LoadedPtr target = body();
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
    start(painter);
    const LoadedPtr target = body();
    if (!target) {
        painter.setPen(look().dim);
        painter.drawText(drawn_rect(), Qt::AlignCenter,
                         tr("The rails show a body's bones once there is one."));
        return;
    }
    const Character& c = target->file.character;
    const auto all = rails();
    const QFont small = letters(10);
    QFont bold = letters();
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
            const double rows = all[i].side.isEmpty() || shows_hands_ ? 1.0 : 2.0;
            painter.drawText(QRectF(12, first.top(), 70, first.height() * rows),
                             Qt::AlignVCenter | Qt::AlignLeft, all[i].name);
        }
        if (!all[i].name.isEmpty()) {
            painter.setFont(small);
            painter.setPen(look().dim);
            painter.drawText(QRectF(12, shows_hands_ ? first.bottom() : first.top() - 13, 80, 13),
                             Qt::AlignLeft, count_of(all, i));
        }
        painter.setFont(letters());
        painter.setPen(look().dim);
        painter.drawText(QRectF(84, first.top(), 14, first.height()), Qt::AlignCenter, all[i].side);
        if (!picked_chain_.isEmpty()) {
            painter.setPen(QPen(look().mark, 1, Qt::DashLine));
            painter.setBrush(Qt::NoBrush);
            if (all[i].chain == picked_chain_)
                painter.drawRoundedRect(
                    QRectF(left_px - 6, first.top(), drawn_width() - left_px - 6, first.height() + 1), 3, 3);
        }
        for (size_t k = 0; k < all[i].roles.size(); ++k) {
            const QString& role = all[i].roles[k];
            const QRectF place = rung(all, i, k);
            const bool is_whole_finger =
                all[i].chain.isEmpty() && all[i].chains[k] == picked_chain_ && !picked_chain_.isEmpty();
            if (!all[i].name.isEmpty() && (i == 0 || !shows_hands_)) {
                painter.setFont(small);
                painter.setPen(look().dim);
                QString above = spoken_role(role.toStdString());
                if (above.endsWith(" 1") && is_finger_role(role.toStdString()) && !shows_hands_)
                    above.chop(2);
                if (shows_hands_)
                    above = above.section(' ', 1) == "palm" ? tr("in the palm")
                                                            : tr("link %1").arg(above.section(' ', 1));
                // "spine 1", and where it is narrow "2", "3".
                if (k > 0 && painter.fontMetrics().horizontalAdvance(above) > place.width() &&
                    above.section(' ', 0, 0) ==
                        spoken_role(all[i].roles[k - 1].toStdString()).section(' ', 0, 0))
                    above = above.section(' ', 1);
                painter.drawText(QRectF(place.left(), place.top() - 13, place.width() + 2, 13), Qt::AlignLeft,
                                 above);
            }
            const bool is_picked = role == picked_ || is_whole_finger;
            if (is_picked) {
                painter.setPen(QPen(look().mark, 1, is_waiting_ ? Qt::DashLine : Qt::SolidLine));
                painter.setBrush(Qt::NoBrush);
                painter.drawRoundedRect(place.adjusted(-4, 0, 2, 1), 3, 3);
            }
            painter.setFont(letters());
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
            QString bone = QString::fromStdString(c.rig.skeleton.names[size_t(fill->joint)]);
            // A finger's rung stands for all its bones.
            if (is_finger_role(role.toStdString()) && !shows_hands_)
                if (const ChainPlan* chain = body_plan(c.roles.plan).chain_of(role.toStdString())) {
                    const QString with_links = bone + tr(" ×%1").arg(c.roles.chain(*chain).size());
                    if (QFontMetrics(small).horizontalAdvance(with_links) <= place.width()) bone = with_links;
                }
            if (painter.fontMetrics().horizontalAdvance(bone) > place.width()) painter.setFont(small);
            painter.drawText(place.adjusted(0, 0, 4, -3), Qt::AlignVCenter | Qt::AlignLeft,
                             painter.fontMetrics().elidedText(bone, Qt::ElideMiddle, int(place.width()) + 4));
            // Where the bone goes on in further pieces.
            for (const TwistBone& twist : c.roles.twists) {
                if (twist.role != role.toStdString()) continue;
                const double x = place.left() + place.width() * std::clamp(twist.share, 0.05, 0.95);
                painter.setPen(QPen(look().text, 1));
                painter.drawLine(QPointF(x, line - 4), QPointF(x, line + 3));
            }
            painter.fillRect(
                QRectF(place.left(), line - 1.2, place.width() * std::clamp(fill->confidence, 0.0, 1.0), 2.4),
                look().mark);
            if (fill->is_unsure()) {
                painter.setPen(QPen(look().mark, 1.6));
                const double x = place.left() + place.width() * fill->confidence;
                painter.drawPolyline(
                    QPolygonF({QPointF(x, line - 7), QPointF(x + 4, line), QPointF(x + 8, line - 7)}));
            }
        }
    }
}

void RailsView::mousePressEvent(QMouseEvent* event) {
    const auto all = rails();
    for (size_t i = 0; i < all.size(); ++i) {
        std::vector<QString> chains = all[i].chains;
        if (!all[i].chain.isEmpty()) chains = {all[i].chain};
        for (const QString& chain : chains)
            if (!chain.isEmpty() && place_of_chain(chain).contains(drawn_at(event->position())))
                return pick_chain(chain);
    }
    const QString role = role_at(drawn_at(event->position()));
    const RoleFill* fill = fill_of(body(), role);
    pick(role, !fill || fill->is_unsure());
}

void RailsView::mouseDoubleClickEvent(QMouseEvent* event) {
    pick(role_at(drawn_at(event->position())), true);
}

void RailsView::mouseMoveEvent(QMouseEvent* event) {
    const QString role = role_at(drawn_at(event->position()));
    const RoleFill* fill = fill_of(body(), role);
    if (!fill) {
        QToolTip::hideText();
        return;
    }
    const auto& names = body()->file.character.rig.skeleton.names;
    QString text = QString::fromStdString(names[size_t(fill->joint)]) +
                   tr(" · %1 % sure").arg(int(std::lround(100 * fill->confidence)));
    for (const auto& evidence : fill->evidence) text += "\n" + QString::fromStdString(evidence);
    for (const QString& piece : pieces_of(role.toStdString())) text += "\n" + piece;
    QToolTip::showText(
        event->globalPosition().toPoint(),
        text + tr("\nDouble click: give it to another bone; C: it is right; W: the whole limb or finger; "
                  "B: hands by bone"),
        this);
}

bool RailsView::event(QEvent* event) {
    // On the rails the arrows walk from rung to rung, not from frame to frame.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const int key = pressed->key();
        const bool is_own = key == Qt::Key_Left || key == Qt::Key_Right || key == Qt::Key_Up ||
                            key == Qt::Key_Down || key == Qt::Key_Delete || key == Qt::Key_W ||
                            key == Qt::Key_C || key == Qt::Key_B || (key == Qt::Key_Escape && is_waiting_);
        if (is_own && pressed->modifiers() == Qt::NoModifier) {
            event->accept();
            return true;
        }
    }
    return Drawing::event(event);
}

void RailsView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape && is_waiting_) return pick(picked_, false);
    // W: the whole chain of the picked rung waits.
    if (event->key() == Qt::Key_W && !picked_.isEmpty()) {
        for (const Rail& rail : rails())
            for (size_t k = 0; k < rail.roles.size(); ++k)
                if (rail.roles[k] == picked_ && !rail.chains[k].isEmpty()) return pick_chain(rail.chains[k]);
    }
    if (event->key() == Qt::Key_C && !(picked_.isEmpty() && picked_chain_.isEmpty()))
        return confirmed(picked_, picked_chain_);
    if (event->key() == Qt::Key_B) return show_hands(!shows_hands_);
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
