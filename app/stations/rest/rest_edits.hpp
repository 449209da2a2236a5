// What a person does with rest alignments: each one undoable change, whatever asks for it.
#pragma once
#include <QCoreApplication>
#include <QUndoStack>

#include "app/work/commands.hpp"
#include "core/rest/edit.hpp"

namespace nb {

class RestEdits {
    Q_DECLARE_TR_FUNCTIONS(nb::RestEdits)

  public:
    RestEdits(Workspace& workspace, QUndoStack& undo) : workspace_(workspace), undo_(undo) {}

    /// The body on a side of the stage, when it has an alignment; else null.
    const Character* character(bool of_target) const;
    RestAlignment solved_for(bool of_target, const Stance& stance) const;
    /// Changes of the same `topic` in a row become one.
    void change(bool of_target, const RestAlignment& rest, const QString& text, const QString& topic = {});
    void change_state(bool of_target, const RestState& state, const QString& text, const QString& topic = {});

    /// Both bodies into a stance; their dials stay.
    void solve_both(const Stance& stance);
    /// Roles of a body into a stance: all of them with `is_whole`.
    void solve(bool of_target, const std::vector<std::string>& roles, bool is_whole, const Stance& stance,
               const QString& text);
    /// Roles of a body as its file has them; as the other body stands.
    void reset(bool of_target, const std::vector<std::string>& roles, const QString& text);
    void copy_from_other(bool of_target, const std::vector<std::string>& roles, const QString& text);

    // Further alignments, each in force at once.
    void add(bool of_target, RestAlignment rest, const QString& text);
    void keep_copy(bool of_target);
    /// False when it is the only one.
    bool forget_current(bool of_target);
    /// As they are listed: 0 is in force.
    void choose(bool of_target, int index);
    void rename(bool of_target, const QString& name);

  private:
    Workspace& workspace_;
    QUndoStack& undo_;
};

}  // namespace nb
