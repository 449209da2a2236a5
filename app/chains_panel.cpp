#include "app/chains_panel.hpp"

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
#include "app/chain_ruler.hpp"
#include "app/commands.hpp"
#include "app/labels.hpp"
#include "app/look.hpp"

#include "core/io/file_error.hpp"

namespace nb {

namespace {

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

ChainsPanel::ChainsPanel(Workspace& workspace, StageView& stage, ChainRuler& ruler, QUndoStack& undo,
                         QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), ruler_(ruler), undo_(undo) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    column->addWidget(title_ = heading_label({}, this));
    column->addWidget(about_ = dim_label({}, this));
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(4);
    left_out_ = new QCheckBox(tr("left out on purpose"), this);
    left_out_->setToolTip(tr("The target's bones keep their rest relative to the bone above"));
    grid->addWidget(left_out_, 0, 0, 1, 2);
    const auto field_row = [&](int at, const QString& name, QWidget* field) {
        auto* label = new QLabel(name, this);
        label->setBuddy(field);
        field->setAccessibleName(name);
        field->setFocusPolicy(Qt::StrongFocus);
        field_labels_[size_t(at)] = label;
        grid->addWidget(label, at, 0);
        grid->addWidget(field, at, 1);
    };
    driver_ = new QComboBox(this);
    driver_->setToolTip(tr("Which chain of the source drives it"));
    field_row(1, tr("driven by"), driver_);
    carry_ = new QComboBox(this);
    carry_->addItem(tr("angles"), int(Carry::angles));
    carry_->addItem(tr("tip"), int(Carry::limb));
    carry_->setToolTip(
        tr("angles: bones point as the source's do\ntip: hand or ankle stands where the source's does, "
           "in the limb's scale"));
    field_row(2, tr("what crosses"), carry_);
    share_ = new QDoubleSpinBox(this);
    share_->setRange(0.0, 100.0);
    share_->setDecimals(0);
    share_->setSuffix(" %");
    share_->setKeyboardTracking(false);
    share_->setToolTip(tr("Between angles (0 %) and the tip's place (100 %)"));
    field_row(3, tr("of the tip's place"), share_);
    soften_ = new QDoubleSpinBox(this);
    soften_->setRange(50.0, 99.9);
    soften_->setDecimals(1);
    soften_->setSuffix(" %");
    soften_->setKeyboardTracking(false);
    soften_->setToolTip(tr("Beyond this stretch the limb gives in gently, unless the source is straighter"));
    field_row(4, tr("eases from"), soften_);
    grid->setColumnStretch(0, 1);
    column->addLayout(grid);
    auto* buttons = new QHBoxLayout;
    withdraw_ = new QPushButton(tr("as proposed"), this);
    withdraw_->setToolTip(tr("Takes back what was set for this chain by hand"));
    withdraw_all_ = new QPushButton(tr("all as proposed"), this);
    withdraw_all_->setToolTip(tr("Takes back what was set for any chain by hand"));
    buttons->addWidget(withdraw_);
    buttons->addWidget(withdraw_all_);
    buttons->addStretch();
    column->addLayout(buttons);
    column->addWidget(level_ = dim_label({}, this));
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
    connect(&ruler_, &ChainRuler::bone_picked, this,
            [this](bool of_target, int joint) { stage_.select(of_target, joint); });
    connect(left_out_, &QCheckBox::clicked, this, [this](bool on) {
        change(on ? tr("leave out a chain") : tr("take in a chain"), -1,
               [on](PairingSettings&, ChainSettings& c) { c.is_left_out = on; });
    });
    connect(carry_, &QComboBox::activated, this, [this] {
        const auto to = Carry(carry_->currentData().toInt());
        change(tr("what of a chain crosses"), -1,
               [this, to](PairingSettings& s, ChainSettings&) { s.carry[chain()] = to; });
    });
    connect(driver_, &QComboBox::activated, this, [this] {
        const std::string by = driver_->currentData().toString().toStdString();
        change(tr("what drives a chain"), -1, [this, by](PairingSettings&, ChainSettings& c) {
            c.driven_by = by == chain() ? "" : by;
            c.ticks.clear();
        });
    });
    connect(share_, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        change(tr("share of the tip's place"), 2,
               [v](PairingSettings&, ChainSettings& c) { c.tip_share = 0.01 * v; });
    });
    connect(soften_, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        change(tr("stretch from which a limb eases"), 3,
               [v](PairingSettings&, ChainSettings& c) { c.soften_from = 0.01 * v; });
    });
    connect(withdraw_, &QPushButton::clicked, this, [this] { withdraw(false); });
    connect(withdraw_all_, &QPushButton::clicked, this, [this] { withdraw(true); });
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

void ChainsPanel::change(const QString& text, int topic,
                         const std::function<void(PairingSettings&, ChainSettings&)>& edit) {
    if (workspace_.pairing_key().isEmpty() || chain().empty()) return;
    PairingSettings settings = workspace_.settings();
    ChainSettings own = settings.chain(chain());
    edit(settings, own);
    if (own == ChainSettings())
        settings.chains.erase(chain());
    else
        settings.chains[chain()] = own;
    if (!(settings == workspace_.settings()))
        undo_.push(new ChangeSettings(workspace_, settings, text, topic));
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
        change(source_bone < 0 ? tr("match a joint no more") : tr("match two joints"), -1,
               [&](PairingSettings&, ChainSettings& c) {
                   // Rising on both sides: what it crosses is matched no more.
                   const auto index = [](const std::vector<int>& joints, const RoleMap& roles,
                                         const std::string& role) {
                       return std::find(joints.begin(), joints.end(), roles.joint(role)) - joints.begin();
                   };
                   c.ticks.erase(
                       std::remove_if(c.ticks.begin(), c.ticks.end(),
                                      [&](const auto& tick) {
                                          const auto s = index(row.chain.S_joints, S.roles, tick.first);
                                          const auto t = index(row.chain.T_joints, T.roles, tick.second);
                                          return t == target_bone ||
                                                 (source_bone >= 0 && (s < source_bone) != (t < target_bone));
                                      }),
                       c.ticks.end());
                   if (source_bone >= 0) c.ticks.emplace_back(from, to);
               });
        return;
    }
}

void ChainsPanel::withdraw(bool all) {
    PairingSettings settings = workspace_.settings();
    if (all) {
        settings.chains.clear();
        settings.carry = PairingSettings().carry;
    } else {
        settings.chains.erase(chain());
        if (settings.carry.contains(chain())) settings.carry[chain()] = PairingSettings().carry.at(chain());
    }
    if (!(settings == workspace_.settings()))
        undo_.push(new ChangeSettings(workspace_, settings,
                                      all ? tr("all chains as proposed") : tr("a chain as proposed")));
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
        const PairingSettings& settings = workspace_.settings();
        map_ = bone_map(S, T, settings, *plan);
        expected_ = forecast(S, T, settings, *plan);
        for (MatchedChain& chain : match_chains(S, T, settings.chains)) {
            // Heads and palms match by role and have no length to compare.
            if (chain.is_limb && !is_limb_name(chain.name)) continue;
            ChainRuler::Row row;
            const auto carry = settings.carry.find(chain.name);
            row.carry = carry != settings.carry.end() && carry->second == Carry::limb ? tr("by the tip")
                                                                                      : tr("by angles");
            if (chain.source_name != chain.name && chain.name.find('.') != std::string::npos &&
                !chain.is_limb)
                row.carry = tr("by %1").arg(QString::fromStdString(chain.source_name));
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
    const PairingSettings& settings = workspace_.settings();
    const std::string name = chain();
    title_->setText(name.empty() ? tr("Chains") : QString::fromStdString(name));
    const ChainSettings& own = settings.chain(name);
    const MatchedChain* shown = nullptr;
    for (const ChainRuler::Row& row : ruler_.rows())
        if (row.chain.name == name) shown = &row.chain;
    const bool is_limb = is_limb_name(name);
    const bool is_run = shown && !shown->is_limb;
    about_->setText(
        !shown                    ? QString()
        : shown->S_joints.empty() ? tr("The source has no such chain; choose another one to drive it.")
        : shown->is_limb          ? tr("Matched role by role.")
        : own.ticks.empty()       ? tr("%1 bones drive %2, matched %3.")
                                  .arg(shown->S_joints.size())
                                  .arg(shown->T_joints.size())
                                  .arg(shown->S_joints.size() == shown->T_joints.size() ? tr("bone by bone")
                                                                                        : tr("by length"))
                            : tr("%1 bones drive %2; joints matched by hand: %3.")
                                  .arg(shown->S_joints.size())
                                  .arg(shown->T_joints.size())
                                  .arg(own.ticks.size()));
    left_out_->setChecked(own.is_left_out);
    left_out_->setEnabled(shown && (is_run || is_limb));
    const QSignalBlocker a(driver_), b(carry_), c(share_), d(soften_);
    driver_->clear();
    for (const ChainPlan& plan : biped_chains())
        if (!plan.is_limb)
            driver_->addItem(QString::fromStdString(plan.name), QString::fromStdString(plan.name));
    for (const auto& [field, at, is_shown] : {std::tuple<QWidget*, size_t, bool>{driver_, 1, is_run},
                                              {carry_, 2, is_limb},
                                              {share_, 3, is_limb},
                                              {soften_, 4, is_limb}}) {
        field->setVisible(is_shown);
        field_labels_[at]->setVisible(is_shown);
    }
    driver_->setEnabled(is_run);
    driver_->setCurrentIndex(
        driver_->findData(QString::fromStdString(own.driven_by.empty() ? name : own.driven_by)));
    carry_->setEnabled(is_limb);
    carry_->setCurrentIndex(is_limb ? carry_->findData(int(settings.carry.at(name))) : 0);
    const bool by_tip = is_limb && settings.carry.at(name) == Carry::limb;
    share_->setEnabled(by_tip);
    share_->setValue(100.0 * own.tip_share.value_or(1.0));
    soften_->setEnabled(by_tip);
    soften_->setValue(100.0 * own.soften_from.value_or(usual_soften_from));
    const bool is_set = settings.chains.contains(name) ||
                        (is_limb && settings.carry.at(name) != PairingSettings().carry.at(name));
    withdraw_->setEnabled(is_set);
    withdraw_all_->setEnabled(!settings.chains.empty() || settings.carry != PairingSettings().carry);
    level_->setText(is_set ? tr("Set for this pair: source and target together.")
                           : tr("As the body plan has it."));
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
