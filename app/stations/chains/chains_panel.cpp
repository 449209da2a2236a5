#include "app/stations/chains/chains_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QUndoStack>
#include <QVBoxLayout>

#include <fmt/format.h>
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stations/chains/chain_ruler.hpp"
#include "app/work/commands.hpp"
#include "core/chain/propose.hpp"

#include "core/base/fault.hpp"
#include "core/base/files.hpp"

namespace nb {

namespace {

constexpr int field_px = 104;

bool is_limb_name(const std::string& chain) {
    return chain.starts_with("arm.") || chain.starts_with("leg.");
}

/// What of a role is not said by its chain's row: "2" of "spine.2", "forearm" of "forearm.left".
QString short_name(const std::string& role, const std::string& bone) {
    if (role.empty()) return QString::fromStdString(bone);
    const std::string middle = role_side(role) == Side::none ? role : role.substr(0, role.rfind('.'));
    return QString::fromStdString(middle == "upperarm" ? "upper arm" : middle);
}

}  // namespace

ChainsPanel::Row& ChainsPanel::add_row(QGridLayout& grid, const QString& name, QWidget* field) {
    Row row;
    row.name = new QLabel(name, this);
    row.name->setBuddy(field);
    row.field = field;
    row.mark = dim_label({}, this);
    row.mark->setTextFormat(Qt::RichText);
    row.mark->setWordWrap(false);
    field->setAccessibleName(name);
    field->setFocusPolicy(Qt::StrongFocus);
    field->setMaximumWidth(field_px);
    const int at = grid.rowCount();
    grid.addWidget(row.name, at, 0);
    grid.addWidget(field, at, 1);
    grid.addWidget(row.mark, at, 2);
    rows_.push_back(row);
    return rows_.back();
}

void ChainsPanel::add_number(QGridLayout& grid, const QString& name, const QString& tip,
                             std::optional<double> ChainSettings::*setting, double unit, double least,
                             double most, const QString& suffix) {
    auto* field = new QDoubleSpinBox(this);
    field->setRange(least, most);
    field->setDecimals(suffix == " %" ? 0 : 1);
    if (setting == &ChainSettings::soften_from) field->setDecimals(1);
    field->setSuffix(suffix);
    field->setKeyboardTracking(false);
    field->setToolTip(tip);
    add_row(grid, name, field);
    const int topic = 10 + int(numbers_.size());
    numbers_.push_back({setting, unit, field});
    connect(field, &QDoubleSpinBox::valueChanged, this, [this, name, setting, unit, topic](double value) {
        change(name, topic, level(), [=](ChainSettings& set) { set.*setting = unit * value; });
    });
    connect(rows_.back().mark, &QLabel::linkActivated, this, [this, name, setting] {
        change(tr("%1 as below").arg(name), -1, speaks(setting),
               [=](ChainSettings& set) { (set.*setting).reset(); });
    });
}

void ChainsPanel::build_form(QVBoxLayout& column) {
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(3);
    left_out_ = new QCheckBox(tr("left out on purpose"), this);
    left_out_->setToolTip(tr("The target's bones keep their rest relative to the bone above"));
    grid->addWidget(left_out_, 0, 0, 1, 3);
    kept_ = new QComboBox(this);
    kept_->addItem(tr("this body"), int(SettingLevel::character));
    kept_->addItem(tr("this pair"), int(SettingLevel::pairing));
    kept_->addItem(tr("this take here"), int(SettingLevel::take));
    kept_->setAccessibleName(tr("kept with"));
    kept_->setToolTip(
        tr("Where a change is kept: with the target, whatever drives it; with this source and target; or "
           "with this take on this target. Of each setting the last of these that says something holds."));
    kept_->setMaximumWidth(field_px);
    grid->addWidget(dim_label(tr("kept with"), this), 1, 0);
    grid->addWidget(kept_, 1, 1);
    driver_ = new QComboBox(this);
    driver_->setToolTip(tr("Which chain of the source drives it"));
    add_row(*grid, tr("driven by"), driver_);
    carry_ = new QComboBox(this);
    carry_->addItem(tr("angles"), int(Carry::angles));
    carry_->addItem(tr("tip"), int(Carry::limb));
    carry_->addItem(tr("place"), int(Carry::place));
    carry_->setToolTip(
        tr("angles: bones point as the source's do\ntip: the chain's end stands where the source's does, in "
           "the chain's own scale\nplace: its end stands at the source's place in the world, scaled as the "
           "body travels"));
    add_row(*grid, tr("what crosses"), carry_);
    add_number(*grid, tr("of the tip's place"), tr("Between angles (0 %) and the tip's place (100 %)"),
               &ChainSettings::tip_share, 0.01, 0, 100, " %");
    add_number(*grid, tr("eases from"),
               tr("Beyond this stretch the limb gives in gently, unless the source is straighter"),
               &ChainSettings::soften_from, 0.01, 50, 99.9, " %");
    add_number(*grid, tr("knee turned out"),
               tr("Turns knee or elbow about the line from the limb's start to its tip; the tip stays. The "
                  "direction itself comes from the source"),
               &ChainSettings::pole_rad, deg_to_rad(1.0), -180, 180, QString::fromUtf8("°"));
    add_number(*grid, tr("start gives way"),
               tr("How much of what is missing in reach the clavicle gives, or for feet the hips"),
               &ChainSettings::start_gives, 0.01, 0, 100, " %");
    add_number(*grid, tr("lengths follow"),
               tr("How much of a source bone's change in length since its rest the target's bone takes"),
               &ChainSettings::give, 0.01, 0, 100, " %");
    add_number(
        *grid, tr("shoulder share"),
        tr("How much of the arm's rise above 30° the clavicle takes, where the source's does not move; "
           "the hand stays. Living shoulders: about 33 %"),
        &ChainSettings::shoulder_share, 0.01, 0, 100, " %");
    grid->setColumnStretch(0, 1);
    grid->setColumnMinimumWidth(2, 34);
    column.addLayout(grid);
    auto* buttons = new QHBoxLayout;
    confirm_ = new QPushButton(tr("confirm"), this);
    confirm_->setToolTip(tr("Keeps what was proposed for this chain"));
    withdraw_ = new QPushButton(tr("as the plan has it"), this);
    withdraw_->setToolTip(tr("Takes back what is set for this chain on any level"));
    withdraw_all_ = new QPushButton(tr("all chains"), this);
    withdraw_all_->setToolTip(tr("Takes back what is set for any chain on any level"));
    for (QPushButton* button : {confirm_, withdraw_, withdraw_all_}) buttons->addWidget(button);
    buttons->addStretch();
    column.addLayout(buttons);

    connect(left_out_, &QCheckBox::clicked, this, [this](bool on) {
        change(on ? tr("leave out a chain") : tr("take in a chain"), -1, level(),
               [on](ChainSettings& set) { set.is_left_out = on; });
    });
    connect(carry_, &QComboBox::activated, this, [this] {
        const auto to = Carry(carry_->currentData().toInt());
        change(tr("what of a chain crosses"), -1, level(), [to](ChainSettings& set) { set.carry = to; });
    });
    connect(driver_, &QComboBox::activated, this, [this] {
        const std::string by = driver_->currentData().toString().toStdString();
        change(tr("what drives a chain"), -1, of_pair(), [this, by](ChainSettings& set) {
            set.driven_by = by == chain() ? "" : by;
            set.ticks.reset();
        });
    });
    connect(rows_[0].mark, &QLabel::linkActivated, this, [this] {
        change(tr("driven as below"), -1, speaks(&ChainSettings::driven_by),
               [](ChainSettings& set) { set.driven_by.reset(); });
    });
    connect(rows_[1].mark, &QLabel::linkActivated, this, [this] {
        change(tr("crosses as below"), -1, speaks(&ChainSettings::carry),
               [](ChainSettings& set) { set.carry.reset(); });
    });
    connect(confirm_, &QPushButton::clicked, this, &ChainsPanel::confirm);
    connect(withdraw_, &QPushButton::clicked, this, [this] { withdraw(false); });
    connect(withdraw_all_, &QPushButton::clicked, this, [this] { withdraw(true); });
}

void ChainsPanel::build_proposals(QVBoxLayout& column) {
    column.addWidget(heading_label(tr("Propose how runs are driven"), this));
    auto* trust = new QHBoxLayout;
    trust->addWidget(dim_label(tr("by"), this));
    const std::array<std::pair<QString, QString>, 3> kinds{
        {{tr("roles"), tr("Bones of the same role are matched")},
         {tr("place"), tr("Bones that end at the same place along the chain; for a chain the source lacks "
                          "the one beside it")},
         {tr("count"), tr("Bones that end at the same share of their number")}}};
    for (size_t i = 0; i < kinds.size(); ++i) {
        trusted_[i] = new QCheckBox(kinds[i].first, this);
        trusted_[i]->setToolTip(kinds[i].second);
        trusted_[i]->setChecked(i < 2);
        trust->addWidget(trusted_[i]);
    }
    trust->addStretch();
    column.addLayout(trust);
    auto* buttons = new QHBoxLayout;
    auto* all = new QPushButton(tr("all runs"), this);
    all->setToolTip(
        tr("Proposes for every run of unlike counts or without a source; what is set by hand stays"));
    auto* empty = new QPushButton(tr("empty ones"), this);
    empty->setToolTip(tr("Proposes only where nothing is set or proposed yet"));
    unconfirmed_ = new QPushButton(tr("withdraw"), this);
    unconfirmed_->setToolTip(tr("Takes back every proposal that nobody has confirmed"));
    for (QPushButton* button : {all, empty, unconfirmed_}) buttons->addWidget(button);
    buttons->addStretch();
    column.addLayout(buttons);
    connect(all, &QPushButton::clicked, this, [this] { propose(false); });
    connect(empty, &QPushButton::clicked, this, [this] { propose(true); });
    connect(unconfirmed_, &QPushButton::clicked, this, &ChainsPanel::withdraw_unconfirmed);
}

ChainsPanel::ChainsPanel(Workspace& workspace, StageView& stage, ChainRuler& ruler, QUndoStack& undo,
                         QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), ruler_(ruler), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    column->addWidget(title_ = heading_label({}, this));
    column->addWidget(about_ = dim_label({}, this));
    build_form(*column);
    column->addSpacing(8);
    build_proposals(*column);
    column->addSpacing(8);
    column->addWidget(heading_label(tr("What to expect"), this));
    expect_ = new QLabel(this);
    expect_->setWordWrap(true);
    expect_->setTextFormat(Qt::RichText);
    column->addWidget(expect_);
    column->addSpacing(8);
    auto* map_head = new QHBoxLayout;
    map_head->addWidget(heading_label(tr("Bone map"), this));
    map_head->addStretch();
    auto* write = new QPushButton(tr("write …"), this);
    write->setToolTip(tr("Writes the map as CSV"));
    map_head->addWidget(write);
    column->addLayout(map_head);
    column->addWidget(cover_ = dim_label({}, this));
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("find a bone, role or chain"));
    search_->setAccessibleName(tr("find in the bone map"));
    search_->setClearButtonEnabled(true);
    column->addWidget(search_);
    table_ = new QTableWidget(0, 3, this);
    table_->setHorizontalHeaderLabels({tr("target"), tr("from"), tr("how")});
    table_->setAccessibleName(tr("bone map"));
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(20);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    table_->setMinimumHeight(220);
    table_->setShowGrid(false);
    column->addWidget(table_, 1);

    connect(&ruler_, &ChainRuler::chain_chosen, this, &ChainsPanel::refresh_chosen);
    connect(&ruler_, &ChainRuler::tick_moved, this, &ChainsPanel::move_tick);
    connect(&ruler_, &ChainRuler::end_wanted, this, &ChainsPanel::set_end);
    connect(&ruler_, &ChainRuler::bone_picked, this,
            [this](bool of_target, int joint) { stage_.select(of_target, joint); });
    connect(write, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Write the bone map"), "bone-map.csv", tr("Table (*.csv)"));
        if (!path.isEmpty()) write_map(path);
    });
    connect(search_, &QLineEdit::textChanged, this, &ChainsPanel::refresh_table);
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const auto chosen = table_->selectedItems();
        if (chosen.isEmpty()) return;
        const int joint = chosen.front()->data(Qt::UserRole).toInt();
        stage_.select(true, joint);
        for (const BoneMapRow& row : map_.rows)
            if (row.joint == joint && !row.chain.empty()) {
                ruler_.choose(QString::fromStdString(row.chain));
                refresh_chosen();
            }
    });
    connect(&stage_, &StageView::selection_changed, this, [this] {
        if (!isVisible() || stage_.selected_joint() < 0) return;
        for (const ChainRuler::Row& row : ruler_.rows()) {
            const auto& joints = stage_.is_selected_in_target() ? row.chain.T_joints : row.chain.S_joints;
            if (std::find(joints.begin(), joints.end(), stage_.selected_joint()) == joints.end()) continue;
            ruler_.choose(QString::fromStdString(row.chain.name));
            return refresh_chosen();
        }
    });
    connect(expect_, &QLabel::linkActivated, this, [this](const QString& chain) {
        ruler_.choose(chain);
        refresh_chosen();
    });
    for (const auto signal : {&Workspace::settings_changed, &Workspace::source_changed,
                              &Workspace::target_changed, &Workspace::rest_changed})
        connect(&workspace_, signal, this, &ChainsPanel::refresh);
    refresh();
}

std::string ChainsPanel::chain() const {
    return ruler_.chosen().toStdString();
}

SettingLevel ChainsPanel::level() const {
    return SettingLevel(kept_->currentData().toInt());
}

void ChainsPanel::set_level(SettingLevel level) {
    kept_->setCurrentIndex(kept_->findData(int(level)));
}

SettingLevel ChainsPanel::of_pair() const {
    return std::max(level(), SettingLevel::pairing);
}

template <typename Field>
SettingLevel ChainsPanel::speaks(Field field) const {
    const ChainLevels levels = workspace_.levels(chain());
    for (size_t i = levels.size(); i-- > 1;)
        if (levels[i].*field) return SettingLevel(int(i));
    return SettingLevel::plan;
}

template <typename Field>
void ChainsPanel::mark(Row& row, Field field) {
    const SettingLevel by = speaks(field);
    const QString word = by == SettingLevel::character ? tr("body")
                         : by == SettingLevel::pairing ? tr("pair")
                         : by == SettingLevel::take    ? tr("take")
                                                       : QString();
    row.mark->setText(word.isEmpty()
                          ? word
                          : QString("<a href=\"x\" style=\"color:%1\">%2</a>").arg(look().dim.name(), word));
    row.mark->setToolTip(by == SettingLevel::character ? tr("Set for this body. Click: take it back")
                         : by == SettingLevel::pairing ? tr("Set for this pair. Click: take it back")
                         : by == SettingLevel::take    ? tr("Set for this take here. Click: take it back")
                                                       : tr("As the body plan has it"));
}

void ChainsPanel::push(SettingLevel level, const std::string& chain, const ChainSettings& set,
                       const QString& text, int topic) {
    if (level == SettingLevel::character) {
        ChainTable table = workspace_.target()->file.character.chains;
        put_settings(table, chain, set);
        if (table != workspace_.target()->file.character.chains)
            undo_.push(new ChangeChains(workspace_, table, text, topic));
        return;
    }
    PairingSettings settings = workspace_.settings();
    put_settings(level == SettingLevel::take ? settings.takes[workspace_.take_key()] : settings.chains, chain,
                 set);
    std::erase_if(settings.takes, [](const auto& take) { return take.second.empty(); });
    if (!(settings == workspace_.settings()))
        undo_.push(new ChangeSettings(workspace_, settings, text, topic));
}

void ChainsPanel::change(const QString& text, int topic, SettingLevel level,
                         const std::function<void(ChainSettings&)>& edit) {
    if (workspace_.pairing_key().is_empty() || chain().empty() || level == SettingLevel::plan) return;
    const ChainLevels levels = workspace_.levels(chain());
    ChainSettings below = usual_settings(chain());
    for (int i = 0; i < int(level); ++i) below = merged(below, levels[size_t(i)]);
    ChainSettings own = levels[size_t(level)];
    const auto matched_before = std::pair{own.ticks, own.driven_by};
    edit(own);
    if (matched_before != std::pair{own.ticks, own.driven_by}) own.is_proposed = false;
    drop_what_is_said(own, below);
    push(level, chain(), own, text, topic);
}

void ChainsPanel::propose(bool only_empty) {
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    if (!workspace_.plan() || !source || !target) return;
    const ProposeFrom from{trusted_[0]->isChecked(), trusted_[1]->isChecked(), trusted_[2]->isChecked()};
    PairingSettings settings = workspace_.settings();
    const ChainTable proposals =
        propose_chains(source->file.character, target->file.character, settings.chains, from, only_empty);
    put_proposals(settings.chains, proposals);
    if (settings == workspace_.settings()) {
        emit said(tr("Nothing to propose: runs have like counts, or are set already."));
        return;
    }
    undo_.push(new ChangeSettings(workspace_, settings, tr("propose how runs are driven")));
    emit said(tr("Proposed for %1 runs; they are marked until you confirm them.").arg(proposals.size()));
}

void ChainsPanel::withdraw_unconfirmed() {
    PairingSettings settings = workspace_.settings();
    if (withdraw_proposals(settings.chains) > 0)
        undo_.push(new ChangeSettings(workspace_, settings, tr("withdraw what nobody confirmed")));
}

void ChainsPanel::confirm() {
    ChainSettings set = settings_of(workspace_.settings().chains, chain());
    set.is_proposed = false;
    push(SettingLevel::pairing, chain(), set, tr("confirm a chain"), -1);
}

void ChainsPanel::move_tick(const QString& name, int target_bone, int source_bone) {
    const Plan* plan = workspace_.plan();
    if (!plan) return;
    const Character& S = workspace_.source()->file.character;
    const Character& T = workspace_.target()->file.character;
    ruler_.choose(name);
    for (const ChainRuler::Row& row : ruler_.rows()) {
        if (row.chain.name != name.toStdString()) continue;
        const std::string to = T.roles.role_of(row.chain.T_joints[size_t(target_bone)]);
        const std::string from =
            source_bone < 0 ? "" : S.roles.role_of(row.chain.S_joints[size_t(source_bone)]);
        change(source_bone < 0 ? tr("match a joint no more") : tr("match two joints"), -1, of_pair(),
               [&](ChainSettings& c) {
                   if (!c.ticks)
                       c.ticks = settings_of(plan->chains, chain())
                                     .ticks.value_or(std::vector<std::pair<std::string, std::string>>());
                   // Rising on both sides: what it crosses is matched no more.
                   const auto index = [](const std::vector<int>& joints, const RoleMap& roles,
                                         const std::string& role) {
                       return std::find(joints.begin(), joints.end(), roles.joint(role)) - joints.begin();
                   };
                   c.ticks->erase(
                       std::remove_if(c.ticks->begin(), c.ticks->end(),
                                      [&](const auto& tick) {
                                          const auto s = index(row.chain.S_joints, S.roles, tick.first);
                                          const auto t = index(row.chain.T_joints, T.roles, tick.second);
                                          return t == target_bone ||
                                                 (source_bone >= 0 && (s < source_bone) != (t < target_bone));
                                      }),
                       c.ticks->end());
                   if (source_bone >= 0) c.ticks->emplace_back(from, to);
               });
        return;
    }
}

void ChainsPanel::withdraw(bool all) {
    if (workspace_.pairing_key().is_empty()) return;
    ChainTable of_body = workspace_.target()->file.character.chains;
    PairingSettings settings = workspace_.settings();
    const auto clear = [&](ChainTable& table) {
        if (all)
            table.clear();
        else
            table.erase(chain());
    };
    clear(of_body);
    clear(settings.chains);
    if (const auto take = settings.takes.find(workspace_.take_key()); take != settings.takes.end()) {
        clear(take->second);
        if (take->second.empty()) settings.takes.erase(take);
    }
    const QString text = all ? tr("all chains as the plan has them") : tr("a chain as the plan has it");
    undo_.beginMacro(text);
    if (of_body != workspace_.target()->file.character.chains)
        undo_.push(new ChangeChains(workspace_, of_body, text));
    if (!(settings == workspace_.settings())) undo_.push(new ChangeSettings(workspace_, settings, text));
    undo_.endMacro();
}

void ChainsPanel::set_end(const QString& name, bool of_target, int bone, bool is_first) {
    ruler_.choose(name);
    for (const ChainRuler::Row& row : ruler_.rows()) {
        if (row.chain.name != name.toStdString() || row.chain.is_limb) continue;
        if (bone < 0) {
            undo_.beginMacro(tr("the whole run"));
            for (const auto end : {&ChainSettings::first, &ChainSettings::last, &ChainSettings::source_first,
                                   &ChainSettings::source_last})
                if (const SettingLevel by = speaks(end); by != SettingLevel::plan)
                    change(tr("the whole run"), -1, by, [end](ChainSettings& set) { (set.*end).reset(); });
            undo_.endMacro();
            return;
        }
        const auto& body = of_target ? workspace_.target() : workspace_.source();
        const auto& joints = of_target ? row.chain.T_joints : row.chain.S_joints;
        const std::string role = body->file.character.roles.role_of(joints[size_t(bone)]);
        const auto end = of_target ? (is_first ? &ChainSettings::first : &ChainSettings::last)
                                   : (is_first ? &ChainSettings::source_first : &ChainSettings::source_last);
        change(is_first ? tr("where a run starts") : tr("where a run ends"), -1,
               of_target ? level() : of_pair(), [&](ChainSettings& set) { set.*end = role; });
        return;
    }
}

int ChainsPanel::open_points() const {
    return map_.count(SourceBone::Fate::forgotten);
}

void ChainsPanel::write_map(const QString& path) {
    try {
        write_file(path.toStdString(), bone_map_csv(map_));
        emit said(tr("Written: %1").arg(path));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void ChainsPanel::refresh() {
    const Plan* plan = workspace_.plan();
    setEnabled(plan != nullptr);
    std::vector<ChainRuler::Row> rows;
    map_ = {};
    expected_.clear();
    if (plan) {
        const Character& S = workspace_.source()->file.character;
        const Character& T = workspace_.target()->file.character;
        map_ = bone_map(S, T, *plan);
        expected_ = forecast(S, T, *plan);
        for (MatchedChain& chain : match_chains(S, T, plan->chains)) {
            // Heads and palms match by role and have no length to compare.
            if (chain.is_limb && !is_limb_name(chain.name)) continue;
            ChainRuler::Row row;
            const ChainSettings& set = settings_of(plan->chains, chain.name);
            row.carry = set.carry == Carry::limb    ? tr("by the tip")
                        : set.carry == Carry::place ? tr("by its place")
                                                    : tr("by angles");
            if (chain.source_name != chain.name)
                row.carry = tr("by %1").arg(QString::fromStdString(chain.source_name));
            if (set.is_proposed) row.carry = tr("proposed");
            for (const int joint : chain.S_joints)
                row.S_names.push_back(
                    short_name(S.roles.role_of(joint), S.rig.skeleton.names[size_t(joint)]));
            for (const int joint : chain.T_joints)
                row.T_names.push_back(
                    short_name(T.roles.role_of(joint), T.rig.skeleton.names[size_t(joint)]));
            row.chain = std::move(chain);
            rows.push_back(std::move(row));
        }
    }
    ruler_.set_rows(std::move(rows));
    QStringList lines;
    int more = 0;
    for (const Expectation& expected : expected_) {
        if (lines.size() >= 5) {
            ++more;
            continue;
        }
        const QString text = QString::fromStdString(expected.text).toHtmlEscaped();
        lines << (expected.chain.empty()
                      ? text
                      : QString("<a href=\"%1\" style=\"color:%2\">%3</a>")
                            .arg(QString::fromStdString(expected.chain), look().text.name(), text));
    }
    if (more > 0) lines << tr("and %1 more, in the table below").arg(more);
    expect_->setText(lines.isEmpty() ? tr("Nothing stands out.") : lines.join("<br>"));
    cover_->setText(
        tr("%1 bones are driven, %2 between two, %3 twist, %4 keep their rest, %5 left out on purpose; %6 "
           "of the source are forgotten: their motion is lost.")
            .arg(map_.count(Driven::alone))
            .arg(map_.count(Driven::between))
            .arg(map_.count(Driven::twist))
            .arg(map_.count(Driven::rest))
            .arg(map_.count(Driven::left_out))
            .arg(map_.count(SourceBone::Fate::forgotten)));
    refresh_chosen();
    refresh_table();
}

void ChainsPanel::refresh_chosen() {
    const std::string name = chain();
    title_->setText(name.empty() ? tr("Chains") : QString::fromStdString(name));
    const Plan* plan = workspace_.plan();
    const ChainSettings now =
        merged(usual_settings(name), plan ? settings_of(plan->chains, name) : ChainSettings());
    const bool is_proposed = settings_of(workspace_.settings().chains, name).is_proposed;
    const MatchedChain* shown = nullptr;
    for (const ChainRuler::Row& row : ruler_.rows())
        if (row.chain.name == name) shown = &row.chain;
    const bool is_limb = is_limb_name(name);
    const bool is_run = shown && !shown->is_limb;
    const bool by_hand = !now.ticks->empty();
    about_->setText(
        !shown                    ? QString()
        : shown->S_joints.empty() ? tr("The source has no such chain; choose another one to drive it.")
        : shown->is_limb          ? tr("Matched role by role.")
        : !by_hand                ? tr("%1 bones drive %2, matched %3.")
                         .arg(shown->S_joints.size())
                         .arg(shown->T_joints.size())
                         .arg(shown->S_joints.size() == shown->T_joints.size() ? tr("bone by bone")
                                                                               : tr("by length"))
        : is_proposed ? tr("%1 bones drive %2; %3 joints matched by the program: confirm it, or drag a tick.")
                            .arg(shown->S_joints.size())
                            .arg(shown->T_joints.size())
                            .arg(now.ticks->size())
                      : tr("%1 bones drive %2; joints matched by hand: %3.")
                            .arg(shown->S_joints.size())
                            .arg(shown->T_joints.size())
                            .arg(now.ticks->size()));
    const auto part = [](const QString& of, const std::string& first, const std::string& last) {
        return first.empty() && last.empty() ? QString()
               : first.empty() ? QObject::tr(" %1 up to %2.").arg(of, QString::fromStdString(last))
               : last.empty()  ? QObject::tr(" %1 from %2 on.").arg(of, QString::fromStdString(first))
                               : QObject::tr(" %1 from %2 to %3.")
                                    .arg(of, QString::fromStdString(first), QString::fromStdString(last));
    };
    about_->setText(about_->text() + part(tr("Of the target"), *now.first, *now.last) +
                    part(tr("Of the source"), *now.source_first, *now.source_last));
    left_out_->setChecked(*now.is_left_out);
    left_out_->setEnabled(shown && (is_run || is_limb));
    confirm_->setVisible(is_proposed);
    const QSignalBlocker a(driver_), b(carry_);
    driver_->clear();
    const LoadedPtr source = workspace_.source();
    for (const ChainPlan& other :
         body_plan(source ? source->file.character.roles.plan : std::string("biped")).chains)
        if (!other.is_limb)
            driver_->addItem(QString::fromStdString(other.name), QString::fromStdString(other.name));
    driver_->setCurrentIndex(
        driver_->findData(QString::fromStdString(now.driven_by->empty() ? name : *now.driven_by)));
    carry_->setCurrentIndex(carry_->findData(int(*now.carry)));
    const bool is_arm = name.starts_with("arm");
    const bool by_tip = now.carry != Carry::angles;
    const auto show = [](const Row& row, bool is_shown) {
        for (QWidget* widget : {static_cast<QWidget*>(row.name), row.field, static_cast<QWidget*>(row.mark)})
            widget->setVisible(is_shown);
    };
    show(rows_[0], is_run);
    show(rows_[1], is_run || is_limb);
    mark(rows_[0], &ChainSettings::driven_by);
    mark(rows_[1], &ChainSettings::carry);
    for (size_t i = 0; i < numbers_.size(); ++i) {
        const auto setting = numbers_[i].setting;
        const bool is_of_tip = setting == &ChainSettings::tip_share || setting == &ChainSettings::soften_from;
        const bool is_of_limb = setting == &ChainSettings::pole_rad;
        const bool is_shown = setting == &ChainSettings::shoulder_share ? is_arm
                              : setting == &ChainSettings::start_gives  ? is_limb && (!is_arm || by_tip)
                              : is_of_limb                              ? is_limb
                              : is_of_tip                               ? (is_run || is_limb) && by_tip
                                                                        : is_run || is_limb;
        show(rows_[i + 2], is_shown);
        const QSignalBlocker blocker(numbers_[i].field);
        numbers_[i].field->setValue(*(now.*setting) / numbers_[i].unit);
        mark(rows_[i + 2], setting);
    }
    rows_[4].name->setText(is_arm ? tr("elbow turned out") : tr("knee turned out"));
    rows_[5].name->setText(is_arm ? tr("clavicle gives way") : tr("hips give way"));
    const ChainLevels levels = workspace_.levels(name);
    withdraw_->setEnabled(std::any_of(levels.begin() + 1, levels.end(),
                                      [](const ChainSettings& level) { return !level.is_empty(); }));
    const PairingSettings& settings = workspace_.settings();
    const LoadedPtr target = workspace_.target();
    withdraw_all_->setEnabled(!settings.chains.empty() || settings.takes.contains(workspace_.take_key()) ||
                              (target && !target->file.character.chains.empty()));
    unconfirmed_->setEnabled(std::any_of(settings.chains.begin(), settings.chains.end(),
                                         [](const auto& set) { return set.second.is_proposed; }));
}

void ChainsPanel::refresh_table() {
    const QString wanted = search_->text().trimmed();
    const QSignalBlocker blocker(table_);
    table_->setRowCount(0);
    const auto add = [&](int joint, const QString& target, const QString& from, const QString& how,
                         const QString& tip) {
        if (!wanted.isEmpty() &&
            !(target + " " + from + " " + how + " " + tip).contains(wanted, Qt::CaseInsensitive))
            return;
        const int row = table_->rowCount();
        table_->insertRow(row);
        int column = 0;
        for (const QString& text : {target, from, how}) {
            auto* item = new QTableWidgetItem(text);
            item->setToolTip(tip);
            item->setData(Qt::UserRole, joint);
            table_->setItem(row, column++, item);
        }
    };
    for (const BoneMapRow& row : map_.rows) {
        QString from = QString::fromStdString(row.from);
        if (!row.from_next.empty())
            from += QString::fromUtf8(" … %1 %2")
                        .arg(QString::fromStdString(row.from_next))
                        .arg(row.share, 0, 'f', 2);
        const auto how = driven_text(row.how);
        add(row.joint, QString::fromStdString(row.bone), from,
            QString::fromUtf8(how.data(), qsizetype(how.size())),
            QString::fromStdString(fmt::format("{}{}{}\n{}", row.bone,
                                               row.role.empty() ? "" : ", " + row.role,
                                               row.chain.empty() ? "" : ", " + row.chain, row.evidence)));
    }
    for (const SourceBone& bone : map_.sources)
        if (bone.fate != SourceBone::Fate::mapped)
            add(-1, {}, QString::fromStdString(bone.bone),
                bone.fate == SourceBone::Fate::forgotten  ? tr("forgotten")
                : bone.fate == SourceBone::Fate::left_out ? tr("left out")
                                                          : tr("handed on"),
                QString::fromStdString(bone.bone + ", " + bone.role + "\n" + bone.means));
}

}  // namespace nb
