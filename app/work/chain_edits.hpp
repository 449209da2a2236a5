// What a person does with the settings of chains, wherever it is asked for (form, ruler, map): each setting
// goes to a level, can be moved to another, and everything can be undone.
#pragma once
#include <QCoreApplication>
#include <QString>
#include <QUndoStack>
#include <functional>

#include "app/work/commands.hpp"
#include "core/chain/match.hpp"
#include "core/chain/propose.hpp"

namespace nb {

/// One setting of a chain, whatever its kind: a value of its own can be asked for, taken over, let go of.
struct ChainField {
    QString name;
    bool needs_pair = false;  ///< names bones of both bodies: no body alone can keep it
    std::function<bool(const ChainSettings&)> is_set;
    std::function<void(ChainSettings& to, const ChainSettings& from)> take_over;
};
template <typename Setting>
ChainField chain_field(const QString& name, Setting ChainSettings::*setting, bool needs_pair = false) {
    return {name, needs_pair, [setting](const ChainSettings& set) { return bool(set.*setting); },
            [setting](ChainSettings& to, const ChainSettings& from) { to.*setting = from.*setting; }};
}

class ChainEdits {
    Q_DECLARE_TR_FUNCTIONS(nb::ChainEdits)

  public:
    ChainEdits(Workspace& workspace, QUndoStack& undo) : workspace_(workspace), undo_(undo) {}

    /// The level whose word on a setting holds; plan when none says anything.
    SettingLevel speaks(const std::string& chain, const ChainField& field) const;
    /// Where a change of it goes: to where it is set, else where the last one was moved to, at first the pair.
    SettingLevel goes_to(const std::string& chain, const ChainField& field) const;
    /// `topic`: changes of the same one in a row become one.
    void set(const std::string& chain, const ChainField& field, const QString& text, int topic,
             const std::function<void(ChainSettings&)>& edit);
    /// The value in force is kept on another level, and on none above it. Further changes follow it there.
    void move(const std::string& chain, const ChainField& field, SettingLevel to);
    /// No level says anything of it any more.
    void take_back(const std::string& chain, const ChainField& field);

    /// Sets or takes away (`source_bone` -1) a matched end by hand; bones count as in the matched chain (a copy: the
    /// change matches anew).
    void match(MatchedChain chain, int target_bone, int source_bone);
    /// Lets a run start or end at a bone of a body; bone -1: all of it again.
    void set_end(const MatchedChain& chain, bool of_target, int bone, bool is_first);
    void drive_by(const std::string& chain, const std::string& source_chain);
    void leave_out(const std::string& chain, bool on);
    /// What one bone of the target does otherwise than mapped, by its role, else its name; kept with the pair.
    void set_bone(const std::string& bone, const BoneRule& rule);
    /// Roles of the source whose motion is lost on purpose, or is missed again.
    void lose(const std::vector<std::string>& roles, bool on_purpose);
    /// As the body plan has it: what is set on any level is taken back. Empty: of all chains.
    void withdraw(const std::string& chain);
    /// Proposes how runs are driven; takes back what nobody confirmed. Number of chains.
    int propose(const ProposeFrom& from, bool only_empty);
    void withdraw_unconfirmed();
    void confirm(const std::string& chain);

  private:
    Workspace& workspace_;
    QUndoStack& undo_;
    SettingLevel last_ = SettingLevel::pairing;

    void change(const std::string& chain, const QString& text, int topic, SettingLevel level,
                const std::function<void(ChainSettings&)>& edit);
    void put(SettingLevel level, const std::string& chain, const ChainSettings& set, const QString& text,
             int topic);
};

/// Settings that the ruler and the map change.
const ChainField& ticks_field();
const ChainField& driver_field();
const ChainField& left_out_field();

}  // namespace nb
