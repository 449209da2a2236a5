// What a person does with a scene: casts added, shifted, placed, turned, given other takes and targets; distances; touches
// between bodies by hand. Every change can be undone.
#pragma once
#include <QObject>
#include <QString>
#include <functional>
#include <optional>

#include "app/work/workspace.hpp"

class QUndoStack;

namespace nb {

class SceneEdits : public QObject {
    Q_OBJECT

  public:
    SceneEdits(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);

    /// Dragging: a topic of its own for each time; changes of one topic in a row are one.
    int new_topic() { return ++topic_; }

    void rename_scene(const QString& name);
    /// False for a name that another cast has, or none (said).
    bool rename_cast(size_t cast, const QString& name);
    void set_take(size_t cast, const QString& name);
    void set_target(size_t cast, const QString& name);
    /// Another one like a cast, a metre beside it, to be given a take and target of its own; it comes into hand.
    void add_cast(size_t like);
    void remove_cast(size_t cast);
    void move_cast(size_t cast, int by);
    void set_start(size_t cast, double start_s, int topic = -1);
    /// By frames of its own take.
    void shift(size_t cast, int frames, int topic = -1);
    /// Where the floor of its take lies in the scene, m at the size of the takes.
    void set_place(size_t cast, const Vec3& at_m, int topic = -1);
    /// Turned to so many degrees about where its source is at a time.
    void set_turn(size_t cast, double turn_deg, double scene_s, int topic = -1);
    void set_distances(const SceneDistances& distances, int topic = -1);

    /// Of the list in force; changing one says all of it by hand.
    void change_touch(size_t touch, const QString& text, int topic,
                      const std::function<void(BodyTouch&)>& edit);
    void add_touch(const BodyTouch& touch);
    void remove_touch(size_t touch);
    void touches_as_found();

  signals:
    void failed(const QString& line);

  private:
    Workspace& workspace_;
    QUndoStack& undo_;
    int topic_ = 0;

    void change(const QString& text, int topic, const std::function<void(SceneDocument&)>& edit);
    /// What else stands in the scene stays where it is.
    void keep_centre(SceneDocument& scene) const;
    void change_cast(size_t cast, const QString& text, int topic,
                     const std::function<void(SceneDocument::CastEntry&)>& edit);
    void change_touches(const QString& text, int topic,
                        const std::function<void(std::vector<BodyTouch>&)>& edit);
};

}  // namespace nb
