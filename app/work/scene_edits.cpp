#include "app/work/scene_edits.hpp"

#include <cmath>

#include "app/work/commands.hpp"

namespace nb {

namespace {

/// To a hundredth of a millimetre: a document says no more.
Vec3 on_floor(const Vec3& p_m) {
    const auto to = [](double m) { return std::round(1e5 * m) / 1e5; };
    return {to(p_m.x()), 0.0, to(p_m.z())};
}

/// To a millionth of a second, within what a document may say.
double on_clock(double s) {
    return std::clamp(std::round(1e6 * s) / 1e6, -1e5, 1e5);
}

}  // namespace

SceneEdits::SceneEdits(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : QObject(parent), workspace_(workspace), undo_(undo) {
    connect(&workspace_, &Workspace::cast_target_wanted, this,
            [this](const QString& name) { set_target(workspace_.scene().in_hand(), name); });
    connect(&workspace_, &Workspace::cast_padded, this,
            [this](int cast, const QString& take, double start_s) {
                change_cast(size_t(cast), tr("pad a cast"), -1, [&](SceneDocument::CastEntry& entry) {
                    entry.take = take.toStdString();
                    entry.start_s = on_clock(start_s);
                });
            });
}

void SceneEdits::change(const QString& text, int topic, const std::function<void(SceneDocument&)>& edit) {
    change_scene(workspace_, undo_, text, topic, edit);
}

void SceneEdits::change_cast(size_t cast, const QString& text, int topic,
                             const std::function<void(SceneDocument::CastEntry&)>& edit) {
    change(text, topic, [&](SceneDocument& scene) {
        if (cast < scene.casts.size()) edit(scene.casts[cast]);
    });
}

void SceneEdits::keep_centre(SceneDocument& scene) const {
    if (const auto centre = workspace_.scene().centre_m(); centre && !scene.distances.about_m)
        scene.distances.about_m = on_floor(*centre);
}

void SceneEdits::rename_scene(const QString& name) {
    if (!name.isEmpty())
        change(tr("rename the scene"), -1, [&](SceneDocument& scene) { scene.name = name.toStdString(); });
}

bool SceneEdits::rename_cast(size_t cast, const QString& name) {
    const SceneDocument& now = workspace_.scene_document();
    const int known = now.cast(name.toStdString());
    if (name.isEmpty() || (known >= 0 && size_t(known) != cast)) {
        emit failed(name.isEmpty() ? tr("A cast needs a name.")
                                   : tr("Another cast is called %1 already.").arg(name));
        return false;
    }
    change(tr("rename a cast"), -1, [&](SceneDocument& scene) {
        if (cast < scene.casts.size()) nb::rename_cast(scene, cast, name.toStdString());
    });
    return true;
}

void SceneEdits::set_take(size_t cast, const QString& name) {
    change_cast(cast, tr("another take for a cast"), -1, [&](SceneDocument::CastEntry& entry) {
        entry.take = name.toStdString();
        entry.body.clear();
    });
}

void SceneEdits::set_target(size_t cast, const QString& name) {
    change_cast(cast, tr("another target for a cast"), -1,
                [&](SceneDocument::CastEntry& entry) { entry.target = name.toStdString(); });
}

void SceneEdits::add_cast(size_t like) {
    const SceneDocument& now = workspace_.scene_document();
    if (like >= now.casts.size()) return;
    if (now.casts.size() >= SceneDocument::most_casts) {
        emit failed(tr("A scene has %1 casts at most.").arg(SceneDocument::most_casts));
        return;
    }
    change(tr("add a cast"), -1, [&](SceneDocument& scene) {
        SceneDocument::CastEntry entry = scene.casts[like];
        entry.name = free_cast_name(scene, entry.name);
        entry.at_m += Vec3::UnitX();
        scene.casts.push_back(std::move(entry));
    });
}

void SceneEdits::remove_cast(size_t cast) {
    if (workspace_.scene_document().casts.size() < 2) {
        emit failed(tr("A scene keeps one cast at least."));
        return;
    }
    change(tr("remove a cast"), -1, [&](SceneDocument& scene) {
        keep_centre(scene);
        nb::remove_cast(scene, cast);
    });
}

void SceneEdits::move_cast(size_t cast, int by) {
    change(tr("order casts"), -1, [&](SceneDocument& scene) {
        keep_centre(scene);
        nb::move_cast(scene, cast, by);
    });
}

void SceneEdits::set_start(size_t cast, double start_s, int topic) {
    change_cast(cast, tr("when a cast begins"), topic,
                [&](SceneDocument::CastEntry& entry) { entry.start_s = on_clock(start_s); });
}

void SceneEdits::shift(size_t cast, int frames, int topic) {
    if (cast >= workspace_.scene().scene().casts.size()) return;
    const double frame_time_s = workspace_.scene().scene().casts[cast].take->frame_time_s;
    const double now = workspace_.scene_document().casts[cast].start_s;
    set_start(cast, (std::round(now / frame_time_s) + frames) * frame_time_s, topic);
}

void SceneEdits::set_place(size_t cast, const Vec3& at_m, int topic) {
    change(tr("where a cast stands"), topic, [&](SceneDocument& scene) {
        if (cast >= scene.casts.size()) return;
        keep_centre(scene);
        scene.casts[cast].at_m = on_floor(at_m);
    });
}

void SceneEdits::set_turn(size_t cast, double turn_deg, double scene_s, int topic) {
    const SceneWork& work = workspace_.scene();
    if (cast >= work.casts().size()) return;
    const Pose source = work.pose_at(cast, scene_s, false);
    const int hips = work.casts()[cast].source->file.character.roles.joint("hips");
    change(tr("turn a cast"), topic, [&](SceneDocument& scene) {
        if (cast >= scene.casts.size()) return;
        keep_centre(scene);
        SceneDocument::CastEntry& entry = scene.casts[cast];
        if (hips >= 0 && size_t(hips) < source.p.size()) {
            const Vec3 pivot(source.p[size_t(hips)].x(), 0.0, source.p[size_t(hips)].z());
            const Quat by = exp_rotation(deg_to_rad(turn_deg - entry.turn_deg) * Vec3::UnitY());
            entry.at_m = on_floor(pivot + by * (entry.at_m - pivot));
        }
        entry.turn_deg = std::round(1e3 * turn_deg) / 1e3;
    });
}

void SceneEdits::set_distances(const SceneDistances& distances, int topic) {
    change(tr("distances of the scene"), topic, [&](SceneDocument& scene) { scene.distances = distances; });
}

void SceneEdits::change_touches(const QString& text, int topic,
                                const std::function<void(std::vector<BodyTouch>&)>& edit) {
    const std::vector<BodyTouch> in_force = workspace_.scene().touches();
    change(text, topic, [&](SceneDocument& scene) {
        if (!scene.touches) scene.touches = in_force;
        edit(*scene.touches);
    });
}

void SceneEdits::change_touch(size_t touch, const QString& text, int topic,
                              const std::function<void(BodyTouch&)>& edit) {
    change_touches(text, topic, [&](std::vector<BodyTouch>& touches) {
        if (touch < touches.size()) edit(touches[touch]);
    });
}

void SceneEdits::add_touch(const BodyTouch& touch) {
    change_touches(tr("add a touch between bodies"), -1,
                   [&](std::vector<BodyTouch>& touches) { touches.push_back(touch); });
}

void SceneEdits::remove_touch(size_t touch) {
    change_touches(tr("remove a touch between bodies"), -1, [&](std::vector<BodyTouch>& touches) {
        if (touch < touches.size()) touches.erase(touches.begin() + std::ptrdiff_t(touch));
    });
}

void SceneEdits::touches_as_found() {
    change(tr("touches between bodies as found"), -1, [](SceneDocument& scene) { scene.touches.reset(); });
}

}  // namespace nb
