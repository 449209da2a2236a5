#include "app/stations/transfer/contact_lanes.hpp"

#include <QActionGroup>
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <QUndoStack>
#include <algorithm>
#include <cmath>

#include "app/look/look.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/work/commands.hpp"
#include "core/contact/touches.hpp"

namespace nb {

QString point_words(const std::string& point) {
    const std::string part = role_part(point);
    const QString name = part == "heel"      ? QObject::tr("heel")
                         : part == "ball"    ? QObject::tr("ball")
                         : part == "toetip"  ? QObject::tr("toe tip")
                         : part == "wrist"   ? QObject::tr("wrist")
                         : part == "knee"    ? QObject::tr("knee")
                         : part == "seat"    ? QObject::tr("seat")
                         : part == "palm"    ? QObject::tr("palm")
                         : part == "tips"    ? QObject::tr("finger tips")
                         : part == "back"    ? QObject::tr("back of hand")
                         : part == "elbow"   ? QObject::tr("elbow")
                         : part == "sole"    ? QObject::tr("sole")
                         : part == "hindpaw" ? QObject::tr("hind paw")
                                             : QObject::tr("fore paw");
    return part == "seat" ? name : name + (role_side(point) == Side::left ? " L" : " R");
}

QString support_words(const std::string& on) {
    if (on == Contact::place) return QObject::tr("place where it is");
    const Side side = role_side(on);
    if (side == Side::none) return QString::fromStdString(on);
    return QString::fromStdString(role_part(on)) + (side == Side::left ? " L" : " R");
}

namespace {

constexpr int contact_grip_px = 5;

/// Whether a contact's point is of a foot, paw or wrist as deficits and the review name it ("foot.left").
bool is_same_end(const std::string& point, const std::string& end) {
    const auto of = contact_point(point);
    if (!of || role_side(point) != role_side(end)) return false;
    return of->end == LimbEnd::foot ? role_part(end) == "foot" : point == end;
}

QString kind_text(ContactKind kind) {
    return kind == ContactKind::stay    ? QObject::tr("stays")
           : kind == ContactKind::pivot ? QObject::tr("stays and may turn")
                                        : QObject::tr("may slide");
}

}  // namespace

ContactLanes::ContactLanes(Workspace& workspace, Playback& playback, QUndoStack& undo, QWidget* parent)
    : Drawing(parent), workspace_(workspace), playback_(playback), undo_(undo) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Contacts"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    for (const auto signal : {&Workspace::result_changed, &Workspace::review_changed,
                              &Workspace::target_changed, &Workspace::settings_changed})
        connect(&workspace_, signal, this, [this] {
            set_lanes();
            update();
        });
    connect(&workspace_, &Workspace::source_changed, this, [this] { choose(-1); });
    connect(&playback_, &Playback::frame_changed, this, [this] {
        for (const double x : {shown_x_, x_of(playback_.frame() + 0.5)}) update_column(x);
    });
    set_lanes();
}

void ContactLanes::set_lanes() {
    std::vector<std::string> lanes;
    if (const Plan* plan = workspace_.plan())
        for (const EndOp& end : plan->program.ends)
            if (end.limb >= 0)
                for (const FootPoint point : end.sole.resting()) lanes.push_back(end.sole.name(point));
    for (const Contact& contact : workspace_.contacts().list)
        if (std::find(lanes.begin(), lanes.end(), contact.point) == lanes.end())
            lanes.push_back(contact.point);
    if (lanes == lanes_) return;
    lanes_ = std::move(lanes);
    updateGeometry();
}

std::vector<std::string> ContactLanes::further_points() const {
    std::vector<std::string> points;
    const Plan* plan = workspace_.plan();
    if (!plan) return points;
    for (const EndOp& end : plan->program.ends) {
        if (end.limb < 0) continue;
        const FootPoint point = end.sole.end == LimbEnd::foot ? FootPoint::toetip : FootPoint::ball;
        if (point == FootPoint::toetip && !(end.sole.has_tip && end.S_sole.has_tip)) continue;
        const std::string name = end.sole.name(point);
        if (std::find(lanes_.begin(), lanes_.end(), name) == lanes_.end()) points.push_back(name);
    }
    std::vector<const char*> names{"knee.left", "knee.right", "seat"};
    const auto source = workspace_.source();
    if (source && !source->file.character.roles.is_four_legged())
        for (const char* name : {"palm.left", "palm.right", "tips.left", "tips.right", "back.left",
                                 "back.right", "elbow.left", "elbow.right", "sole.left", "sole.right"})
            if (source->file.character.roles.joint("hand" + std::string(side_suffix(role_side(name)))) >= 0)
                names.push_back(name);
    for (const char* name : names)
        if (std::find(lanes_.begin(), lanes_.end(), name) == lanes_.end()) points.emplace_back(name);
    return points;
}

double ContactLanes::level_for(const Contact& contact) const {
    const auto& levels = workspace_.contacts().floor.levels_m;
    const double lowest = levels.empty() ? 0.0 : levels.front();
    const auto result = workspace_.result();
    const ContactPoint point = contact_point(contact.point).value_or(ContactPoint());
    if (!result || result->plan.program.ends[point.limb].limb < 0) return lowest;
    // On the level that the point is nearest to in the middle of its span; a wrist, a knee, the seat where
    // they are.
    const Plan& plan = result->plan;
    if (is_held_by_hips(point.end)) {
        const int middle = (contact.first + contact.last) / 2;
        const int joint = point.end == LimbEnd::seat
                              ? plan.program.root.S_thigh_left
                              : plan.program.limbs[size_t(plan.program.ends[point.limb].limb)].S_mid;
        return result->source.p[result->source.at(middle, joint)].y();
    }
    const Sole& sole = result->plan.program.ends[point.limb].S_sole;
    const double y = sole.point(point.point, result->source, (contact.first + contact.last) / 2).y();
    return sole.is_on_floor() ? workspace_.contacts().floor.nearest(y) : y;
}

bool ContactLanes::set_support(Contact& contact) const {
    if (!is_hand_point(contact.point)) {
        contact.level_m = level_for(contact);
        return true;
    }
    const auto source = workspace_.source();
    contact.on =
        nearest_to(source->file.character, *source->file.take, contact.point, contact.first, contact.last);
    return contact.is_touch();
}

void ContactLanes::hold_here(const std::string& point) {
    const auto source = workspace_.source();
    if (!source || !source->file.take) return;
    const int around = std::max(1, int(std::lround(0.125 / source->file.take->frame_time_s)));
    Contacts contacts = workspace_.contacts();
    Contact contact;
    contact.point = point;
    contact.first = std::max(0, playback_.frame() - around);
    contact.last = std::min(playback_.frames(), playback_.frame() + around + 1);
    if (!set_support(contact)) return;
    contacts.list.push_back(contact);
    change(contacts, contact, tr("hold the %1").arg(point_words(point)));
    emit explained(why(chosen_));
}

int ContactLanes::frame_at(double x) const {
    return std::clamp(int(std::lround(frame_scale().frame_at(x))), 0, std::max(0, playback_.frames()));
}

QPoint ContactLanes::place_of(const QString& point, int frame) const {
    for (size_t i = 0; i < lanes_.size(); ++i)
        if (point.toStdString() == lanes_[i])
            return {int(std::lround(x_of(frame))), 2 + int(i) * lane_px + lane_px / 2};
    return {};
}

ContactLanes::Hit ContactLanes::hit(const QPoint& at) const {
    Hit result;
    if (at.x() < ErrorStrip::left_px - contact_grip_px || lanes_.empty()) return result;
    result.lane = std::clamp((at.y() - 2) / lane_px, 0, int(lanes_.size()) - 1);
    const auto& list = workspace_.contacts().list;
    for (int i = 0; i < int(list.size()); ++i) {
        if (list[size_t(i)].point != lanes_[size_t(result.lane)]) continue;
        const double a = x_of(list[size_t(i)].first);
        const double b = x_of(list[size_t(i)].last);
        if (at.x() < a - contact_grip_px || at.x() > b + contact_grip_px) continue;
        result.index = i;
        // The outer half of each end is a handle; narrow windows keep a middle.
        const double reach = std::min<double>(contact_grip_px, (b - a) / 3);
        result.grip = at.x() <= a + reach ? Grip::first : at.x() >= b - reach ? Grip::last : Grip::whole;
        if (at.x() >= a && at.x() <= b) break;
    }
    return result;
}

int ContactLanes::index_of(const Contact& contact) const {
    const auto& list = workspace_.contacts().list;
    for (int i = 0; i < int(list.size()); ++i)
        if (list[size_t(i)].point == contact.point && list[size_t(i)].first == contact.first) return i;
    return -1;
}

void ContactLanes::choose(int index) {
    chosen_ = index;
    update();
}

void ContactLanes::choose_at(const QString& foot, int frame) {
    const auto& list = workspace_.contacts().list;
    int best = -1;
    int least = 1 << 30;
    for (int i = 0; i < int(list.size()); ++i) {
        const Contact& contact = list[size_t(i)];
        if (!is_same_end(contact.point, foot.toStdString())) continue;
        const int off = std::min(std::abs(contact.first - frame), std::abs(contact.last - frame));
        if (off < least) {
            least = off;
            best = i;
        }
    }
    choose(best);
    if (best >= 0) emit explained(why(best));
}

QString ContactLanes::why(int index) const {
    const auto& list = workspace_.contacts().list;
    if (index < 0 || index >= int(list.size())) return {};
    const Contact& contact = list[size_t(index)];
    const QString name = point_words(contact.point);
    if (contact.is_touch()) {
        const QString how = workspace_.contacts().are_touches_by_hand ? tr("set by hand")
                            : contact.is_unsure
                                ? tr("found, but unsure: nothing is held by it until the menu says so")
                                : tr("found in the take");
        if (contact.is_place())
            return tr("%1 stays where it is in the world in frames %2 to %3; %4.")
                .arg(name)
                .arg(contact.first)
                .arg(contact.last - 1)
                .arg(how);
        return tr("%1 lies on the %2 in frames %3 to %4; it %5; %6.")
            .arg(name, support_words(contact.on))
            .arg(contact.first)
            .arg(contact.last - 1)
            .arg(contact.kind == ContactKind::slide ? tr("glides") : tr("rests"), how);
    }
    QString text = tr("%1 is held in frames %2 to %3, at %4 cm; it %5; %6.")
                       .arg(name)
                       .arg(contact.first)
                       .arg(contact.last - 1)
                       .arg(100.0 * contact.level_m, 0, 'f', 1)
                       .arg(kind_text(contact.kind),
                            workspace_.contacts().is_by_hand ? tr("set by hand") : tr("found in the take"));
    if (const auto result = workspace_.result())
        for (const Deficit& deficit : result->corrections.deficits)
            if (is_same_end(contact.point, deficit.point) && deficit.first < contact.last &&
                deficit.last > contact.first)
                text += (contact_point(contact.point)->end == LimbEnd::wrist
                             ? tr(" %1 cm short at frame %2: the arm does not reach it.")
                             : tr(" %1 cm short at frame %2: the leg does not reach it, though the hips give "
                                  "way."))
                            .arg(100.0 * deficit.missing_m, 0, 'f', 1)
                            .arg(deficit.worst_frame);
    return text;
}

void ContactLanes::change(const Contacts& contacts, const Contact& chosen, const QString& text, int topic) {
    if (!workspace_.source() || !workspace_.source()->file.take) return;
    Contacts by_hand = contacts;
    (is_hand_point(chosen.point) ? by_hand.are_touches_by_hand : by_hand.is_by_hand) = true;
    undo_.push(new ChangeContacts(workspace_, by_hand, text, topic));
    choose(index_of(chosen));
}

void ContactLanes::remove_chosen() {
    Contacts contacts = workspace_.contacts();
    if (chosen_ < 0 || chosen_ >= int(contacts.list.size())) return;
    const Contact gone = contacts.list[size_t(chosen_)];
    contacts.list.erase(contacts.list.begin() + chosen_);
    change(contacts, gone, tr("remove a contact"));
}

void ContactLanes::set_kind(ContactKind kind) {
    Contacts contacts = workspace_.contacts();
    if (chosen_ < 0 || chosen_ >= int(contacts.list.size())) return;
    Contact& contact = contacts.list[size_t(chosen_)];
    if (contact.kind == kind) return;
    contact.kind = kind;
    const Contact changed = contact;
    change(contacts, changed, tr("another kind of contact"));
}

void ContactLanes::set_touch(const std::string& on, bool is_unsure) {
    Contacts contacts = workspace_.contacts();
    if (chosen_ < 0 || chosen_ >= int(contacts.list.size())) return;
    Contact& contact = contacts.list[size_t(chosen_)];
    if (!contact.is_touch() || (contact.on == on && contact.is_unsure == is_unsure)) return;
    contact.on = on;
    contact.is_unsure = is_unsure;
    const Contact changed = contact;
    change(contacts, changed, tr("another touch"));
}

void ContactLanes::find_anew() {
    if (workspace_.contacts().is_all_found()) return;
    Contacts found;
    found.things = workspace_.contacts().things;
    undo_.push(new ChangeContacts(workspace_, found, tr("find the contacts anew")));
    choose(-1);
}

void ContactLanes::set_hands(HandsDo what) {
    const auto source = workspace_.source();
    if (!source || !source->file.take) return;
    const Contacts& now = workspace_.contacts();
    if (hands_do(source->file.character, now) == what) return;
    undo_.push(new ChangeContacts(workspace_,
                                  with_hands(source->file.character, *source->file.take, now, what),
                                  tr("what the hands do")));
    choose(-1);
}

void ContactLanes::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    const Contacts& contacts = workspace_.contacts();
    const auto review = workspace_.review();
    for (size_t lane = 0; lane < lanes_.size(); ++lane) {
        const double top = 2.0 + double(lane) * lane_px;
        painter.setPen(look().dim);
        const QFont small = letters(11);
        painter.setFont(small);
        painter.drawText(QRectF(12, top - 1, ErrorStrip::left_px - 16, lane_px),
                         Qt::AlignVCenter | Qt::AlignLeft, point_words(lanes_[lane]));
        // Where the source rests by the review's own rules: a thin line below what the solve holds.
        if (review) {
            painter.setPen(QPen(look().dim, 1));
            for (const ReviewWindow& w : review->windows)
                if (w.point == lanes_[lane])
                    painter.drawLine(QPointF(x_of(w.first), top + lane_px - 1.5),
                                     QPointF(x_of(w.last), top + lane_px - 1.5));
        }
        for (int i = 0; i < int(contacts.list.size()); ++i) {
            const Contact& contact = contacts.list[size_t(i)];
            if (contact.point != lanes_[lane]) continue;
            const double a = x_of(contact.first);
            const double b = x_of(contact.last);
            const double ease = std::min(4.0, 0.3 * (b - a));
            const double low = top + lane_px - 3;
            QPainterPath path;
            path.moveTo(a, low);
            path.cubicTo(a + ease, low, a, top + 1, a + ease, top + 1);
            path.lineTo(b - ease, top + 1);
            path.cubicTo(b, top + 1, b - ease, low, b, low);
            QColor tone = look().mark;
            tone.setAlphaF(i == chosen_ ? 0.95f : contact.kind == ContactKind::slide ? 0.22f : 0.45f);
            if (contact.is_unsure) {
                tone.setAlphaF(i == chosen_ ? 0.95f : 0.5f);
                painter.strokePath(path, QPen(tone, 1.0, Qt::DotLine));
            } else {
                painter.fillPath(path, tone);
            }
            if (contact.is_touch()) {
                const QString on = support_words(contact.on);
                if (painter.fontMetrics().horizontalAdvance(on) + 8 < b - a) {
                    painter.setPen(i == chosen_ && !contact.is_unsure ? look().ground : look().text);
                    painter.drawText(QRectF(a, top - 1, b - a, lane_px), Qt::AlignCenter, on);
                }
            }
            if (contact.kind == ContactKind::pivot) {
                painter.setPen(Qt::NoPen);
                painter.setBrush(look().ground);
                painter.drawEllipse(QPointF((a + b) / 2, top + lane_px / 2.0 - 1), 2.2, 2.2);
            }
            if (i == chosen_) {
                painter.setPen(QPen(look().mark, 1.6));
                for (const double x : {a, b}) painter.drawLine(QPointF(x, top), QPointF(x, low + 1));
            }
        }
    }
    // A notch where a lock cannot be met.
    if (const auto result = workspace_.result())
        for (const Deficit& deficit : result->corrections.deficits) {
            const double x = x_of(deficit.worst_frame + 0.5);
            size_t lane = 0;
            while (lane + 1 < lanes_.size() && !is_same_end(lanes_[lane], deficit.point)) ++lane;
            const double y = 2.0 + double(lane + 1) * lane_px;
            painter.setPen(Qt::NoPen);
            painter.setBrush(look().mark);
            painter.drawPolygon(QPolygonF{{x - 4, y - 4}, {x + 4, y - 4}, {x, y + 3}});
        }
    shown_x_ = x_of(playback_.frame() + 0.5);
    painter.setPen(QPen(look().mark, 1.4));
    painter.drawLine(QPointF(shown_x_, 0), QPointF(shown_x_, drawn_height()));
}

void ContactLanes::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    drag_ = hit(drawn_at(event->pos()).toPoint());
    drag_frame_ = frame_at(drawn_at(event->position()).x());
    ++drag_count_;
    if (drag_.index >= 0) {
        drag_before_ = workspace_.contacts().list[size_t(drag_.index)];
        choose(drag_.index);
        emit explained(why(drag_.index));
        if (drag_.grip == Grip::whole) playback_.go_to(std::min(drag_frame_, playback_.frames() - 1));
    } else {
        choose(-1);
    }
}

void ContactLanes::mouseMoveEvent(QMouseEvent* event) {
    const Hit over = hit(drawn_at(event->pos()).toPoint());
    if (!(event->buttons() & Qt::LeftButton)) {
        setCursor(over.grip == Grip::first || over.grip == Grip::last ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    if (drag_.lane < 0 || playback_.frames() < 2) return;
    const int frame = frame_at(drawn_at(event->position()).x());
    Contacts contacts = workspace_.contacts();
    if (drag_.index < 0) {
        // An empty place: a new contact grows from where it was pressed.
        if (std::abs(frame - drag_frame_) < 2) return;
        Contact contact;
        contact.point = lanes_[size_t(drag_.lane)];
        contact.first = std::min(frame, drag_frame_);
        contact.last = std::max(frame, drag_frame_);
        if (!set_support(contact)) return;
        drag_before_ = contact;
        contacts.list.push_back(contact);
        change(contacts, contact, tr("a new contact"), drag_count_);
        drag_.index = chosen_;
        drag_.grip = frame > drag_frame_ ? Grip::last : Grip::first;
        return;
    }
    if (drag_.index >= int(contacts.list.size())) return;
    Contact contact = contacts.list[size_t(drag_.index)];
    if (drag_.grip == Grip::first)
        contact.first = std::min(frame, contact.last - 1);
    else if (drag_.grip == Grip::last)
        contact.last = std::max(frame, contact.first + 1);
    else {
        playback_.go_to(std::min(frame, playback_.frames() - 1));
        return;
    }
    // Not into its neighbours.
    for (const Contact& other : contacts.list) {
        if (other.point != contact.point || other.first == contacts.list[size_t(drag_.index)].first) continue;
        if (other.first < contact.last && other.first > contact.first) contact.last = other.first;
        if (other.last > contact.first && other.last < contact.last) contact.first = other.last;
    }
    if (contact == contacts.list[size_t(drag_.index)]) return;
    contacts.list[size_t(drag_.index)] = contact;
    change(contacts, contact, tr("move the end of a contact"), drag_count_);
    drag_.index = chosen_;
}

void ContactLanes::mouseReleaseEvent(QMouseEvent*) {
    if (drag_.index < 0 && drag_.lane >= 0) playback_.go_to(std::min(drag_frame_, playback_.frames() - 1));
    if (drag_.index >= 0) emit explained(why(chosen_));
    drag_ = {};
}

void ContactLanes::add_kind_actions(QMenu& menu, const Contact& contact) {
    auto* kinds = new QActionGroup(&menu);
    for (const ContactKind kind : {ContactKind::stay, ContactKind::pivot, ContactKind::slide}) {
        QAction* action = menu.addAction(kind == ContactKind::stay    ? tr("stays")
                                         : kind == ContactKind::pivot ? tr("stays, may turn")
                                                                      : tr("may slide, height held"));
        action->setCheckable(true);
        action->setChecked(contact.kind == kind);
        kinds->addAction(action);
        connect(action, &QAction::triggered, this, [this, kind] { set_kind(kind); });
    }
}

void ContactLanes::add_touch_actions(QMenu& menu, const Contact& contact) {
    QAction* holds = menu.addAction(tr("the hand touches here"));
    holds->setCheckable(true);
    holds->setChecked(!contact.is_unsure);
    connect(holds, &QAction::triggered, this,
            [this, on = contact.on](bool is_checked) { set_touch(on, !is_checked); });
    QMenu* supports = menu.addMenu(tr("it lies on"));
    const auto source = workspace_.source();
    if (!source || !source->file.take) return;
    for (const std::string& on :
         touchable(source->file.character, *source->file.take, role_side(contact.point))) {
        QAction* action = supports->addAction(support_words(on));
        action->setCheckable(true);
        action->setChecked(on == contact.on);
        connect(action, &QAction::triggered, this, [this, on] { set_touch(on, false); });
    }
}

void ContactLanes::add_thing_actions(QMenu& menu, const std::string& thing) {
    const auto source = workspace_.source();
    // What stands there leads anyway, scaled as the body travels.
    if (!source || source->file.character.roles.joint(thing) >= 0 ||
        source->file.character.rig.skeleton.find(thing) < 0)
        return;
    const ThingRule now = workspace_.contacts().rule_of(thing);
    const QString name = support_words(thing);
    const std::array<std::pair<QString, ThingRule>, 4> choices{
        {{tr("%1 goes with the hands").arg(name), {false, now.is_scaled}},
         {tr("the hands go with %1").arg(name), {true, now.is_scaled}},
         {tr("%1 in its own size").arg(name), {now.leads, false}},
         {tr("%1 scaled as the body travels").arg(name), {now.leads, true}}}};
    for (size_t i = 0; i < choices.size(); ++i) {
        if (i % 2 == 0) menu.addSeparator();
        const auto& [text, rule] = choices[i];
        QAction* action = menu.addAction(text);
        action->setCheckable(true);
        action->setChecked(rule == now);
        connect(action, &QAction::triggered, this, [this, thing, rule = rule] { set_thing(thing, rule); });
    }
}

void ContactLanes::set_thing(const std::string& thing, const ThingRule& rule) {
    Contacts contacts = workspace_.contacts();
    if (contacts.rule_of(thing) == rule) return;
    if (rule.is_usual())
        contacts.things.erase(thing);
    else
        contacts.things[thing] = rule;
    undo_.push(new ChangeContacts(workspace_, contacts, tr("how %1 goes").arg(support_words(thing))));
}

void ContactLanes::contextMenuEvent(QContextMenuEvent* event) {
    if (event->reason() == QContextMenuEvent::Mouse) choose(hit(drawn_at(event->pos()).toPoint()).index);
    QMenu menu(this);
    const auto& list = workspace_.contacts().list;
    if (chosen_ >= 0 && chosen_ < int(list.size())) {
        const Contact& contact = list[size_t(chosen_)];
        contact.is_touch() ? add_touch_actions(menu, contact) : add_kind_actions(menu, contact);
        if (contact.is_touch()) add_thing_actions(menu, contact.on);
        menu.addSeparator();
        connect(menu.addAction(tr("Remove	Del")), &QAction::triggered, this,
                &ContactLanes::remove_chosen);
    }
    for (const std::string& point : further_points())
        connect(menu.addAction(tr("Hold the %1 here").arg(point_words(point))), &QAction::triggered, this,
                [this, point] { hold_here(point); });
    QAction* anew = menu.addAction(tr("Find all anew"));
    anew->setEnabled(!workspace_.contacts().is_all_found());
    connect(anew, &QAction::triggered, this, &ContactLanes::find_anew);
    menu.exec(event->globalPos());
}

void ContactLanes::keyPressEvent(QKeyEvent* event) {
    const int count = int(workspace_.contacts().list.size());
    if (event->key() == Qt::Key_Delete || event->key() == Qt::Key_Backspace) return remove_chosen();
    if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) {
        if (count == 0) return;
        const int by = event->key() == Qt::Key_Down ? 1 : -1;
        choose(chosen_ < 0 ? 0 : (chosen_ + by + count) % count);
        playback_.go_to(workspace_.contacts().list[size_t(chosen_)].first);
        emit explained(why(chosen_));
        return;
    }
    // Ctrl and Shift with arrows move the end and the start of what is chosen by a frame.
    const int by = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (by != 0 && chosen_ >= 0 && chosen_ < count &&
        (event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier))) {
        Contacts contacts = workspace_.contacts();
        Contact& contact = contacts.list[size_t(chosen_)];
        if (event->modifiers() & Qt::ShiftModifier)
            contact.first = std::clamp(contact.first + by, 0, contact.last - 1);
        else
            contact.last = std::clamp(contact.last + by, contact.first + 1, playback_.frames());
        const Contact changed = contact;
        change(contacts, changed, tr("move the end of a contact"), 0);
        emit explained(why(chosen_));
        return;
    }
    QWidget::keyPressEvent(event);
}

bool ContactLanes::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const Hit over = hit(drawn_at(help->pos()).toPoint());
        QToolTip::showText(
            help->globalPos(),
            over.index >= 0
                ? why(over.index)
                : tr("When each point is held. Drag an end to move it, drag in an empty place "
                     "to add one, Delete removes, the menu holds toe tips, wrists, knees, seat, palms; "
                     "dotted: a touch that is unsure and not held; thin "
                     "lines: where the source "
                     "rests."),
            this);
        return true;
    }
    return Drawing::event(event);
}

}  // namespace nb
