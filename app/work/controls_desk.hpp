// The control rig of the shown target in hand in the window: which node takes what, how limbs are keyed; kept beside the
// character's rig. Knows no widgets.
#pragma once
#include <QString>
#include <map>
#include <string>
#include <vector>

#include "app/work/library_desk.hpp"
#include "core/handover/controls.hpp"

namespace nb {

class ControlsDesk : public LibraryDesk {
    Q_OBJECT

  public:
    ControlsDesk(Workspace& workspace, QUndoStack& undo, QObject* parent = nullptr);

    /// Whether the shown target is looked at, now and when another comes: while somebody sees it.
    void follow(bool on);
    /// Null when the target has none yet, or is of no library.
    const ControlRig* rig() const;
    /// Nodes of its file without what is drawn for them, and where they stand; world, m.
    const std::vector<std::string>& nodes() const { return nodes_; }
    const std::vector<Vec3>& places() const { return places_; }
    /// What a node takes; null: nothing.
    const Control* control(const std::string& node) const;
    /// What a control may take of the body: the usual goals, then its roles.
    std::vector<std::string> goals() const;
    /// Why there is none, or it cannot be read; empty: there is one.
    QString trouble() const;

    /// Another file of controls, filled by the names of its nodes.
    void choose(const QString& path);
    /// What nodes take by their names, instead of what is given by hand.
    void fill_by_names();
    /// Gives a node a goal (empty: none); with `is_pair` the node of the other side the mirrored one.
    void give(const std::string& node, const std::string& goal, bool is_pair);
    void set_parts(const std::string& node, bool has_place, bool has_turn, bool is_pair);
    /// Of a limb, "arm.left"; with `is_pair` of the other side, too, with the mirrored node.
    void set_limb(const std::string& limb, const LimbKeys& keys, bool is_pair, int topic);

    bool is_as_kept() const;
    void keep();

  private:
    struct InHand {
        ControlRig rig;
        ControlRig kept;        ///< as it lies on disk; without path: nothing does
        std::string kept_text;  ///< of the document
        std::string id;
    };
    std::map<std::string, InHand> in_hand_;  ///< by the place of the document
    std::string place_;                      ///< of the shown target's; empty: it is of no library
    std::string read_path_;                  ///< whose nodes these are
    std::vector<std::string> nodes_;
    std::vector<Vec3> places_;
    QString trouble_;
    bool is_followed_ = false;

    void look_at_target();
    void read_nodes();
    const InHand* current() const;
    void change(const QString& text, int topic, const std::function<void(ControlRig&)>& edit);
    std::string other_side(const std::string& node) const;
};

}  // namespace nb
