#include "app/work/chain_edits.hpp"

#include <algorithm>

namespace nb {

namespace {

using Ticks = std::vector<std::pair<std::string, std::string>>;

/// The place of a role's bone among joints; their number when it is none of them.
std::ptrdiff_t index_of(const std::vector<int>& joints, const RoleMap& roles, const std::string& role) {
    return std::find(joints.begin(), joints.end(), roles.joint(role)) - joints.begin();
}

const std::array<ChainField, 4>& end_fields() {
    static const std::array<ChainField, 4> fields{
        chain_field("the whole run", &ChainSettings::first),
        chain_field("the whole run", &ChainSettings::last),
        chain_field("the whole run", &ChainSettings::source_first, true),
        chain_field("the whole run", &ChainSettings::source_last, true)};
    return fields;
}

}  // namespace

const ChainField& ticks_field() {
    static const ChainField field = chain_field("matched joints", &ChainSettings::ticks, true);
    return field;
}

const ChainField& driver_field() {
    static const ChainField field = chain_field("driven by", &ChainSettings::driven_by, true);
    return field;
}

const ChainField& left_out_field() {
    static const ChainField field = chain_field("left out", &ChainSettings::is_left_out);
    return field;
}

SettingLevel ChainEdits::speaks(const std::string& chain, const ChainField& field) const {
    const ChainLevels levels = workspace_.levels(chain);
    for (size_t i = levels.size(); i-- > 1;)
        if (field.is_set(levels[i])) return SettingLevel(int(i));
    return SettingLevel::plan;
}

SettingLevel ChainEdits::goes_to(const std::string& chain, const ChainField& field) const {
    const SettingLevel now = speaks(chain, field);
    const SettingLevel to = now == SettingLevel::plan ? last_ : now;
    return field.needs_pair ? std::max(to, SettingLevel::pairing) : to;
}

void ChainEdits::put(SettingLevel level, const std::string& chain, const ChainSettings& set,
                     const QString& text, int topic) {
    if (level == SettingLevel::character) {
        ChainTable table = workspace_.target()->file.character.chains;
        put_settings(table, chain, set);
        if (table != workspace_.target()->file.character.chains)
            undo_.push(new ChangeChains(workspace_, table, text, topic));
        return;
    }
    change_settings(workspace_, undo_, text, topic, [&](PairingSettings& settings) {
        put_settings(level == SettingLevel::take ? settings.takes[workspace_.take_key()] : settings.chains,
                     chain, set);
        std::erase_if(settings.takes, [](const auto& take) { return take.second.empty(); });
    });
}

/// Changes what a chain has on a level. What the levels below say anyway is not kept.
void ChainEdits::change(const std::string& chain, const QString& text, int topic, SettingLevel level,
                        const std::function<void(ChainSettings&)>& edit) {
    if (workspace_.pairing_key().is_empty() || chain.empty() || level == SettingLevel::plan) return;
    const ChainLevels levels = workspace_.levels(chain);
    ChainSettings below = usual_settings(chain);
    for (int i = 0; i < int(level); ++i) below = merged(below, levels[size_t(i)]);
    ChainSettings own = levels[size_t(level)];
    const auto matched_before = std::pair{own.ticks, own.driven_by};
    edit(own);
    if (matched_before != std::pair{own.ticks, own.driven_by}) own.is_proposed = false;
    drop_what_is_said(own, below);
    put(level, chain, own, text, topic);
}

void ChainEdits::set(const std::string& chain, const ChainField& field, const QString& text, int topic,
                     const std::function<void(ChainSettings&)>& edit) {
    change(chain, text, topic, goes_to(chain, field), edit);
}

void ChainEdits::move(const std::string& chain, const ChainField& field, SettingLevel to) {
    const SettingLevel from = speaks(chain, field);
    if (field.needs_pair) to = std::max(to, SettingLevel::pairing);
    if (from == SettingLevel::plan || to == SettingLevel::plan || from == to) return;
    const ChainSettings value = workspace_.levels(chain)[size_t(from)];
    const QString text = tr("%1 kept elsewhere").arg(field.name);
    undo_.beginMacro(text);
    // What lies below the new level is another level's own word, and stays; what lies above would speak first.
    for (const SettingLevel level : setting_levels)
        if (level > to || level == from)
            change(chain, text, -1, level,
                   [&](ChainSettings& set) { field.take_over(set, ChainSettings()); });
    change(chain, text, -1, to, [&](ChainSettings& set) { field.take_over(set, value); });
    undo_.endMacro();
    last_ = to;
}

void ChainEdits::take_back(const std::string& chain, const ChainField& field) {
    if (speaks(chain, field) == SettingLevel::plan) return;
    const QString text = tr("%1 as the plan has it").arg(field.name);
    undo_.beginMacro(text);
    for (const SettingLevel level : setting_levels)
        if (level != SettingLevel::plan && field.is_set(workspace_.levels(chain)[size_t(level)]))
            change(chain, text, -1, level,
                   [&](ChainSettings& set) { field.take_over(set, ChainSettings()); });
    undo_.endMacro();
}

void ChainEdits::match(MatchedChain chain, int target_bone, int source_bone) {
    const Plan* plan = workspace_.plan();
    if (!plan) return;
    const RoleMap& S = workspace_.source()->file.character.roles;
    const RoleMap& T = workspace_.target()->file.character.roles;
    const std::string to = T.role_of(chain.T_joints[size_t(target_bone)]);
    const std::string from = source_bone < 0 ? "" : S.role_of(chain.S_joints[size_t(source_bone)]);
    set(chain.name, ticks_field(), source_bone < 0 ? tr("match a joint no more") : tr("match two joints"), -1,
        [&](ChainSettings& c) {
            if (!c.ticks) c.ticks = settings_of(plan->report.chains, chain.name).ticks.value_or(Ticks());
            // Rising on both sides: what it crosses is matched no more.
            std::erase_if(*c.ticks, [&](const auto& tick) {
                const auto s = index_of(chain.S_joints, S, tick.first);
                const auto t = index_of(chain.T_joints, T, tick.second);
                return t == target_bone || (source_bone >= 0 && (s < source_bone) != (t < target_bone));
            });
            if (source_bone >= 0) c.ticks->emplace_back(from, to);
        });
}

void ChainEdits::set_end(const MatchedChain& chain, bool of_target, int bone, bool is_first) {
    if (chain.is_limb) return;
    const std::string name = chain.name;  // a change matches anew: the chain may be gone then
    if (bone < 0) {
        undo_.beginMacro(tr("the whole run"));
        for (const ChainField& field : end_fields()) take_back(name, field);
        undo_.endMacro();
        return;
    }
    const auto& body = of_target ? workspace_.target() : workspace_.source();
    const auto& joints = of_target ? chain.T_joints : chain.S_joints;
    const std::string role = body->file.character.roles.role_of(joints[size_t(bone)]);
    const auto end = of_target ? (is_first ? &ChainSettings::first : &ChainSettings::last)
                               : (is_first ? &ChainSettings::source_first : &ChainSettings::source_last);
    set(name, end_fields()[size_t(2 * !of_target + !is_first)],
        is_first ? tr("where a run starts") : tr("where a run ends"), -1,
        [&](ChainSettings& set) { set.*end = role; });
}

void ChainEdits::drive_by(const std::string& chain, const std::string& source_chain) {
    set(chain, driver_field(), tr("what drives a chain"), -1, [&](ChainSettings& set) {
        set.driven_by = source_chain == chain ? "" : source_chain;
        set.ticks.reset();
    });
}

void ChainEdits::leave_out(const std::string& chain, bool on) {
    set(chain, left_out_field(), on ? tr("leave out a chain") : tr("take in a chain"), -1,
        [on](ChainSettings& set) { set.is_left_out = on; });
}

void ChainEdits::set_bone(const std::string& bone, const BoneRule& rule) {
    change_settings(workspace_, undo_, tr("rule of %1").arg(QString::fromStdString(bone)), -1,
                    [&](PairingSettings& settings) {
                        if (rule.is_usual())
                            settings.bones.erase(bone);
                        else
                            settings.bones[bone] = rule;
                    });
}

void ChainEdits::lose(const std::vector<std::string>& roles, bool on_purpose) {
    const QString what = roles.size() == 1 ? QString::fromStdString(roles.front()) : tr("what is lost");
    change_settings(workspace_, undo_,
                    on_purpose ? tr("%1 on purpose").arg(what) : tr("%1 missed again").arg(what), -1,
                    [&](PairingSettings& settings) {
                        for (const std::string& role : roles)
                            if (on_purpose)
                                settings.lost.insert(role);
                            else
                                settings.lost.erase(role);
                    });
}

void ChainEdits::withdraw(const std::string& chain) {
    if (workspace_.pairing_key().is_empty()) return;
    const auto clear = [&](ChainTable& table) {
        if (chain.empty())
            table.clear();
        else
            table.erase(chain);
    };
    const QString text =
        chain.empty() ? tr("all chains as the plan has them") : tr("a chain as the plan has it");
    undo_.beginMacro(text);
    ChainTable of_body = workspace_.target()->file.character.chains;
    clear(of_body);
    if (of_body != workspace_.target()->file.character.chains)
        undo_.push(new ChangeChains(workspace_, of_body, text));
    change_settings(workspace_, undo_, text, -1, [&](PairingSettings& settings) {
        clear(settings.chains);
        const auto take = settings.takes.find(workspace_.take_key());
        if (take == settings.takes.end()) return;
        clear(take->second);
        if (take->second.empty()) settings.takes.erase(take);
    });
    undo_.endMacro();
}

int ChainEdits::propose(const ProposeFrom& from, bool only_empty) {
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    if (!workspace_.plan() || !source || !target) return 0;
    PairingSettings settings = workspace_.settings();
    const ChainTable proposals =
        propose_chains(source->file.character, target->file.character, settings.chains, from, only_empty);
    put_proposals(settings.chains, proposals);
    if (settings == workspace_.settings()) return 0;
    undo_.push(new ChangeSettings(workspace_, settings, tr("propose how runs are driven")));
    return int(proposals.size());
}

void ChainEdits::withdraw_unconfirmed() {
    change_settings(workspace_, undo_, tr("withdraw what nobody confirmed"), -1,
                    [](PairingSettings& settings) { withdraw_proposals(settings.chains); });
}

void ChainEdits::confirm(const std::string& chain) {
    ChainSettings set = settings_of(workspace_.settings().chains, chain);
    set.is_proposed = false;
    put(SettingLevel::pairing, chain, set, tr("confirm a chain"), -1);
}

}  // namespace nb
