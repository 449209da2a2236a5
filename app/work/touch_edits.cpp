#include "app/work/touch_edits.hpp"

#include <QUndoStack>
#include <algorithm>
#include <cmath>

#include "app/work/commands.hpp"
#include "core/body/roles.hpp"
#include "core/rest/edit.hpp"

namespace nb {

namespace {

const TouchLayers no_layers;

QString degrees(double rad) {
    return QString::number(rad_to_deg(rad), 'f', std::abs(rad_to_deg(rad)) < 9.95 ? 1 : 0) +
           QString::fromUtf8("°");
}

QString centimetres(double m) {
    return QObject::tr("%1 cm").arg(100.0 * m, 0, 'f', std::abs(m) < 0.0995 ? 1 : 0);
}

QString axes_words(TurnAxes axes) {
    return axes == TurnAxes::bone     ? QObject::tr("about the bone")
           : axes == TurnAxes::parent ? QObject::tr("about the bone above")
           : axes == TurnAxes::body   ? QObject::tr("about the body")
                                      : QObject::tr("about the world");
}

/// The largest part of a shift, in words.
QString shift_words(const Vec3& m) {
    int most = 0;
    for (int i = 1; i < 3; ++i)
        if (std::abs(m[i]) > std::abs(m[most])) most = i;
    const std::array<std::array<QString, 2>, 3> words{{{QObject::tr("right"), QObject::tr("left")},
                                                       {QObject::tr("lower"), QObject::tr("higher")},
                                                       {QObject::tr("back"), QObject::tr("ahead")}}};
    return centimetres(m.norm()) + " " + words[size_t(most)][m[most] > 0.0 ? 1 : 0];
}

}  // namespace

QString touch_kind_word(TouchKind kind) {
    switch (kind) {
        case TouchKind::turn:
            return QObject::tr("turn");
        case TouchKind::place:
            return QObject::tr("place");
        case TouchKind::body:
            return QObject::tr("whole body");
        case TouchKind::hand:
            return QObject::tr("hand pose");
        case TouchKind::calm:
            return QObject::tr("calm");
        case TouchKind::damp:
            return QObject::tr("damp");
        case TouchKind::settle:
            return QObject::tr("settle feet");
        case TouchKind::loop:
            return QObject::tr("loop");
        case TouchKind::pace:
            return QObject::tr("pace");
        case TouchKind::straight:
            return QObject::tr("straighten");
    }
    return {};
}

QString touch_level_word(SettingLevel level) {
    return level == SettingLevel::character ? QObject::tr("the body")
           : level == SettingLevel::pairing ? QObject::tr("the pair")
                                            : QObject::tr("this take");
}

QString touch_where(const TouchUp& touch) {
    if (touch.what.empty())
        return touch.kind == TouchKind::settle ? QObject::tr("feet") : QObject::tr("the body");
    const Side side = role_side(touch.what);
    QString name = QString::fromStdString(std::string(role_part(touch.what)));
    if (touch.has_other_side && side != Side::none) return name + " L R";
    return side == Side::left ? name + " L" : side == Side::right ? name + " R" : name;
}

QString touch_words(const TouchUp& touch) {
    switch (touch.kind) {
        case TouchKind::turn:
            return QObject::tr("%1 %2").arg(degrees(touch.turn_rad.norm()), axes_words(touch.axes));
        case TouchKind::place:
            return touch.support.empty()
                       ? shift_words(touch.place_m)
                       : QObject::tr("%1 by the %2")
                             .arg(shift_words(touch.place_m), QString::fromStdString(touch.support));
        case TouchKind::body: {
            QStringList parts;
            if (touch.place_m.norm() > 1e-9) parts << shift_words(touch.place_m);
            if (std::abs(touch.turn_rad.y()) > 1e-9)
                parts << QObject::tr("turned %1").arg(degrees(touch.turn_rad.y()));
            return parts.isEmpty() ? QObject::tr("nothing yet") : parts.join(", ");
        }
        case TouchKind::hand:
            return touch.opening > 0.0 ? QObject::tr("%1, %2 % open")
                                             .arg(QString::fromStdString(touch.pose))
                                             .arg(int(std::lround(100.0 * touch.opening)))
                                       : QString::fromStdString(touch.pose);
        case TouchKind::calm:
            return QObject::tr("above %1 Hz").arg(touch.cut_off_hz, 0, 'f', 1);
        case TouchKind::damp:
            return touch.range_rad > 0.0 ? QObject::tr("inside %1").arg(degrees(touch.range_rad))
                                         : QObject::tr("to %1 %").arg(int(std::lround(100.0 * touch.keep)));
        case TouchKind::settle:
            return QObject::tr("hops");
        case TouchKind::loop:
            return touch.has_travel ? QObject::tr("with its travel") : QObject::tr("on the spot");
        case TouchKind::pace:
            return QObject::tr("%1 %").arg(touch.percent, 0, 'f', 0);
        case TouchKind::straight:
            return touch.keep > 0.0
                       ? QObject::tr("%1 % of its bends").arg(int(std::lround(100.0 * touch.keep)))
                       : QObject::tr("a straight way");
    }
    return {};
}

TouchEdits::TouchEdits(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : QObject(parent), workspace_(workspace), undo_(undo) {
    for (const auto signal :
         {&Workspace::settings_changed, &Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] {
            if (!layer(in_hand_) || (in_hand_.touch >= 0 && !touch(in_hand_))) in_hand_ = {};
            emit changed();
        });
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] { before_.reset(); });
    connect(&workspace_, &Workspace::review_changed, this, [this] {
        if (workspace_.review()) measured_ = workspace_.review();
        emit measured();
    });
}

const TouchLayers& TouchEdits::layers(SettingLevel level) const {
    if (level == SettingLevel::character)
        return workspace_.target() ? workspace_.target()->file.character.touches : no_layers;
    const PairingSettings& settings = workspace_.settings();
    if (level == SettingLevel::pairing) return settings.touches;
    const auto own = settings.take_touches.find(workspace_.take_key());
    return own == settings.take_touches.end() ? no_layers : own->second;
}

std::vector<TouchAt> TouchEdits::all() const {
    std::vector<TouchAt> result;
    for (const SettingLevel level : levels)
        for (int l = 0; l < int(layers(level).size()); ++l)
            for (int t = 0; t < int(layers(level)[size_t(l)].touches.size()); ++t)
                result.push_back({level, l, t});
    return result;
}

const TouchLayer* TouchEdits::layer(const TouchAt& at) const {
    const TouchLayers& of = layers(at.level);
    return at.layer >= 0 && at.layer < int(of.size()) ? &of[size_t(at.layer)] : nullptr;
}

const TouchUp* TouchEdits::touch(const TouchAt& at) const {
    const TouchLayer* of = layer(at);
    return of && at.touch >= 0 && at.touch < int(of->touches.size()) ? &of->touches[size_t(at.touch)]
                                                                     : nullptr;
}

int TouchEdits::new_topic() {
    topic_is_of_ = {};
    return ++topic_;
}

int TouchEdits::topic_of(const void* thing) {
    if (topic_is_of_ != std::pair(thing, in_hand_)) {
        ++topic_;
        topic_is_of_ = {thing, in_hand_};
    }
    return topic_;
}

void TouchEdits::take_in_hand(const TouchAt& at) {
    if (at == in_hand_) return;
    in_hand_ = at;
    emit changed();
}

void TouchEdits::put(SettingLevel level, const TouchLayers& layers, const QString& text, int topic) {
    if (!workspace_.target() || !workspace_.source() || layers == this->layers(level)) return;
    // A drag is one change: it is compared with what was before it.
    const bool goes_on = topic >= 0 && undo_.index() > 0 && undo_.command(undo_.index() - 1)->id() == topic;
    if (!goes_on && workspace_.finished()) before_ = workspace_.review();
    if (level == SettingLevel::character) {
        undo_.push(new ChangeTouches(workspace_, layers, text, topic));
    } else {
        change_settings(workspace_, undo_, text, topic, [&](PairingSettings& settings) {
            if (level == SettingLevel::pairing)
                settings.touches = layers;
            else if (layers.empty())
                settings.take_touches.erase(workspace_.take_key());
            else
                settings.take_touches[workspace_.take_key()] = layers;
        });
    }
    emit changed();
}

void TouchEdits::add(const TouchUp& touch, const QString& text, int topic) {
    TouchAt at = layer(in_hand_) ? TouchAt{in_hand_.level, in_hand_.layer, -1} : TouchAt{};
    if (at.layer < 0) at.layer = int(layers(SettingLevel::take).size()) - 1;
    TouchLayers now = layers(at.level);
    if (at.layer < 0) {
        now.push_back({tr("this shot").toStdString(), false, 1.0, {}});
        at.layer = 0;
    }
    now[size_t(at.layer)].touches.push_back(touch);
    at.touch = int(now[size_t(at.layer)].touches.size()) - 1;
    in_hand_ = at;
    put(at.level, now, text, topic);
}

void TouchEdits::change(const TouchAt& at, const QString& text, int topic,
                        const std::function<void(TouchUp&)>& edit) {
    if (!touch(at)) return;
    TouchLayers now = layers(at.level);
    edit(now[size_t(at.layer)].touches[size_t(at.touch)]);
    put(at.level, now, text, topic);
}

void TouchEdits::change_layer(const TouchAt& at, const QString& text, int topic,
                              const std::function<void(TouchLayer&)>& edit) {
    if (!layer(at)) return;
    TouchLayers now = layers(at.level);
    edit(now[size_t(at.layer)]);
    put(at.level, now, text, topic);
}

void TouchEdits::add_layer(const QString& name) {
    const SettingLevel level = layer(in_hand_) ? in_hand_.level : SettingLevel::take;
    TouchLayers now = layers(level);
    now.push_back({name.toStdString(), false, 1.0, {}});
    in_hand_ = {level, int(now.size()) - 1, -1};
    put(level, now, tr("a new layer"), -1);
}

void TouchEdits::remove(const TouchAt& at) {
    if (!layer(at)) return;
    TouchLayers now = layers(at.level);
    const bool is_touch = touch(at) != nullptr;
    if (is_touch)
        now[size_t(at.layer)].touches.erase(now[size_t(at.layer)].touches.begin() + at.touch);
    else
        now.erase(now.begin() + at.layer);
    in_hand_ = is_touch ? TouchAt{at.level, at.layer, -1} : TouchAt{};
    put(at.level, now, is_touch ? tr("remove a touch-up") : tr("remove a layer"), -1);
}

void TouchEdits::move(const TouchAt& at, int by) {
    if (!layer(at)) return;
    TouchLayers now = layers(at.level);
    TouchAt to = at;
    const auto swap = [&](auto& list, int& place) {
        const int other = place + by;
        if (other < 0 || other >= int(list.size())) return;
        std::swap(list[size_t(place)], list[size_t(other)]);
        place = other;
    };
    if (touch(at))
        swap(now[size_t(at.layer)].touches, to.touch);
    else
        swap(now, to.layer);
    in_hand_ = to;
    put(at.level, now, tr("another order"), -1);
}

void TouchEdits::move_to(const TouchAt& at, SettingLevel level) {
    if (!layer(at) || at.level == level) return;
    const TouchLayer moved = *layer(at);
    undo_.beginMacro(tr("a layer for %1").arg(touch_level_word(level)));
    TouchLayers from = layers(at.level);
    from.erase(from.begin() + at.layer);
    put(at.level, from, tr("move a layer"), -1);
    TouchLayers to = layers(level);
    to.push_back(moved);
    in_hand_ = {level, int(to.size()) - 1, at.touch};
    put(level, to, tr("move a layer"), -1);
    undo_.endMacro();
}

void TouchEdits::mute(const TouchAt& at, bool on) {
    change_layer(at, on ? tr("mute a layer") : tr("let a layer act again"), -1,
                 [on](TouchLayer& layer) { layer.is_muted = on; });
}

void TouchEdits::solo(const TouchAt& at) {
    if (!layer(at)) return;
    bool is_alone = !layer(at)->is_muted;
    for (const SettingLevel level : levels)
        for (int l = 0; l < int(layers(level).size()); ++l)
            if (!(level == at.level && l == at.layer)) is_alone &= layers(level)[size_t(l)].is_muted;
    undo_.beginMacro(is_alone ? tr("let all layers act") : tr("one layer alone"));
    for (const SettingLevel level : levels) {
        TouchLayers now = layers(level);
        for (int l = 0; l < int(now.size()); ++l)
            now[size_t(l)].is_muted = !is_alone && !(level == at.level && l == at.layer);
        put(level, now, tr("mute layers"), -1);
    }
    undo_.endMacro();
}

void TouchEdits::copy(const TouchAt& at) {
    if (const TouchUp* one = touch(at)) copied_ = *one;
}

void TouchEdits::paste(double at_s) {
    if (!copied_) return;
    TouchUp one = *copied_;
    if (!one.when.is_whole) {
        const double by = at_s - one.when.from_s;
        one.when.from_s += by;
        one.when.to_s += by;
    }
    add(one, tr("paste a touch-up"));
}

void TouchEdits::mirror(const TouchAt& at) {
    if (!workspace_.target()) return;
    const Character& c = workspace_.target()->file.character;
    change(at, tr("to the other side"), -1, [&](TouchUp& one) {
        const std::string other = mirrored_role(one.what);
        // Axes of bones need not mirror each other: by the world of the aligned rest.
        const bool is_at_rest = one.axes == TurnAxes::bone || one.axes == TurnAxes::parent;
        const auto axes = [&](const std::string& role) {
            return is_at_rest ? axes_of(c.rig.skeleton, c.roles, c.rest, role, one.axes) : Quat::Identity();
        };
        one.turn_rad = axes(other).conjugate() * mirrored_vector(axes(one.what) * one.turn_rad);
        one.place_m.x() = -one.place_m.x();
        one.what = other;
    });
}

std::optional<Habit> TouchEdits::habit() const {
    const std::vector<Habit> habits = find_habits(workspace_.settings().take_touches);
    return habits.empty() ? std::nullopt : std::optional(habits.front());
}

void TouchEdits::keep_with_body(const Habit& habit) {
    const QString text =
        tr("keep with the body: %1 · %2").arg(touch_where(habit.touch), touch_kind_word(habit.touch.kind));
    undo_.beginMacro(text);
    change_settings(workspace_, undo_, text, -1, [&](PairingSettings& settings) {
        settings.take_touches = without_habit(settings.take_touches, habit);
    });
    TouchLayers own = layers(SettingLevel::character);
    const std::string name = tr("always").toStdString();
    auto always = std::ranges::find(own, name, &TouchLayer::name);
    if (always == own.end()) always = own.insert(own.end(), TouchLayer{name, false, 1.0, {}});
    always->touches.push_back(habit.touch);
    in_hand_ = {SettingLevel::character, int(always - own.begin()), int(always->touches.size()) - 1};
    put(SettingLevel::character, own, text, -1);
    undo_.endMacro();
}

std::shared_ptr<const Review> TouchEdits::before() const {
    return measured_ && workspace_.review() && before_ != workspace_.review() ? before_ : nullptr;
}

QString TouchEdits::cost() const {
    if (!before()) return {};
    const Review& was = *before_;
    const Review& now = *workspace_.review();
    QStringList parts;
    const auto part = [&](const QString& name, double a, double b, const QString& unit, double told_from) {
        if (std::abs(a - b) >= told_from)
            parts
                << QString::fromUtf8("%1 %2 → %3%4").arg(name).arg(a, 0, 'f', 1).arg(b, 0, 'f', 1).arg(unit);
    };
    part(tr("slide"), was.target_slide_cm_s.p95, now.target_slide_cm_s.p95, tr(" cm/s"), 0.05);
    part(tr("below the floor"), was.below_mm.max, now.below_mm.max, tr(" mm"), 0.05);
    part(tr("tips off"), was.worst_tip_p95_cm(), now.worst_tip_p95_cm(), tr(" cm"), 0.05);
    part(tr("directions off"), was.worst_direction_p95_deg(), now.worst_direction_p95_deg(),
         QString::fromUtf8("°"), 0.05);
    if (parts.isEmpty()) return tr("the last change: no figure of the review moved");
    return tr("the last change: %1").arg(parts.join(QString::fromUtf8(" · ")));
}

}  // namespace nb
