// What is open: every body and take once, by its document, whether it stands on the stage, waits there behind
// the limbering take, or was changed in this session and laid by; the last few that were shown stay, too.
#pragma once
#include <array>
#include <functional>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "app/work/loaded.hpp"

namespace nb {

/// One value for what is open: which document, and what was read from it. Set only when reading succeeded.
struct Opened {
    Choice choice;
    DocumentKey key;
    LoadedPtr body;
    bool is_touched = false;  ///< changed in this session: it stays open, so that undo reaches it
    bool is_made = false;     ///< from a result, here: it has no file of its own
};

class OpenFiles {
  public:
    /// Null when it is not open.
    const Opened* find(const DocumentKey& key) const;
    /// What stands on the stage as take or target; without a body when nothing does.
    const Opened& on_stage(bool as_target) const;
    /// The chosen one: what stands on the stage, or will again after limbering.
    const Opened& chosen(bool as_target) const;
    bool is_on_stage(const DocumentKey& key, bool as_target) const;
    const std::map<DocumentKey, Opened>& all() const { return files_; }

    /// In the place of what is open by its key.
    void put(Opened opened);
    /// Puts it onto the stage. What nobody needs any more is let go of.
    void show(Opened opened, bool as_target);
    /// The chosen one goes by another document now; under its former one it stays open beside it.
    void stand_in(const Opened& now, bool as_target);
    /// It stays only as long as it is on the stage.
    void untouch(const DocumentKey& key);
    /// These stay open, too, whether they are on the stage or not: a scene's.
    void hold(std::set<DocumentKey> keys);
    /// `edit` changes each (its key, too); what stands on the stage goes along.
    void edit_all(const std::function<void(Opened&)>& edit);

    /// The shipped take stands in the place of the take; nothing of it is kept.
    void start_limbering(Opened shipped) { limbering_ = std::move(shipped); }
    /// The take before is back; when there was none, the shipped one is a take like any other.
    void end_limbering();
    bool is_limbering() const { return limbering_.has_value(); }
    bool is_limbering(const DocumentKey& key) const { return limbering_ && limbering_->key == key; }

  private:
    std::map<DocumentKey, Opened> files_;
    std::array<DocumentKey, 2> stage_;  ///< take, target
    std::vector<DocumentKey> recent_;   ///< what was on the stage, the last one last
    std::set<DocumentKey> held_;
    std::optional<Opened> limbering_;

    void let_go();
};

}  // namespace nb
