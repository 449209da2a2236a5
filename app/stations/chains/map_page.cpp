#include "app/stations/chains/map_page.hpp"

#include <QFileDialog>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <memory>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/table.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/plan.hpp"

namespace nb {

namespace {

constexpr int choice_column = 7;

}  // namespace

MapPage::MapPage(Workspace& workspace, ChainEdits& edits, QWidget* parent)
    : QWidget(parent), workspace_(workspace), edits_(edits) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 0, 12, 6);
    column->setSpacing(4);
    auto* head = new Flow(4);
    const std::array<std::pair<Kind, QString>, 8> kinds{
        {{Kind::all, tr("Every bone of the target, then those of the source that nobody takes")},
         {Kind::alone, tr("Bones moved by one bone of the source")},
         {Kind::between, tr("Bones that lie between two of the source")},
         {Kind::twist, tr("Twist bones, which take a share of a roll")},
         {Kind::rest, tr("Bones that keep their rest on the bone above")},
         {Kind::left_out, tr("Bones left out on purpose")},
         {Kind::lost, tr("Bones of the source whose motion nobody takes")},
         {Kind::given_up, tr("Bones of the source whose motion is lost on purpose: somebody has said so")}}};
    for (const auto& [kind, tip] : kinds) {
        auto* button = counts_[kind] = word_button({}, tip, this, true);
        connect(button, &QToolButton::clicked, this, [this, kind = kind] {
            kind_ = kind;
            refresh_table();
        });
        head->addWidget(button);
    }
    search_ = new QLineEdit(this);
    search_->setPlaceholderText(tr("find a bone, role or chain"));
    search_->setAccessibleName(tr("find in the bone map"));
    search_->setClearButtonEnabled(true);
    when_scaled(search_, [this] { search_->setFixedWidth(scaled(190)); });
    head->add_gap();
    head->addWidget(search_);
    auto* write_button = new QPushButton(tr("write …"), this);
    write_button->setToolTip(tr("Writes the map as CSV"));
    write_button->setFocusPolicy(Qt::TabFocus);
    head->addWidget(write_button);
    column->addLayout(head);
    table_ = plain_table({tr("bone of the target"),
                          tr("role"),
                          tr("chain"),
                          tr("moved by"),
                          tr("sure"),
                          tr("why"),
                          tr("kept with"),
                          {}},
                         5, tr("bone map"), this);
    column->addWidget(table_, 1);
    connect(write_button, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Write the bone map"), "bone-map.csv", tr("Table (*.csv)"));
        if (!path.isEmpty()) write(path);
    });
    connect(search_, &QLineEdit::textChanged, this, &MapPage::refresh_table);
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        const auto chosen = table_->selectedItems();
        if (chosen.isEmpty()) return;
        const Line& line = lines_[size_t(shown_[size_t(chosen.front()->row())])];
        emit bone_chosen(line.of_target, line.joint, QString::fromStdString(line.chain));
    });
    connect(table_, &QTableWidget::cellClicked, this, [this](int row, int at) {
        if (at == choice_column) open_choices(row);
    });
    connect(table_, &QTableWidget::cellActivated, this, [this](int row, int) { open_choices(row); });
    table_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(table_, &QWidget::customContextMenuRequested, this, [this](const QPoint& at) {
        if (const auto* item = table_->itemAt(at)) open_choices(item->row());
    });
}

void MapPage::showEvent(QShowEvent*) {
    if (is_stale_) refresh_table();
}

void MapPage::show_map(const BoneMap& map, const std::vector<MatchedChain>& chains) {
    map_ = map;
    chains_ = chains;
    is_stale_ = true;
    if (isVisible()) refresh_table();
}

void MapPage::refresh_look() {
    is_stale_ = true;
    if (isVisible()) refresh_table();
}

const MatchedChain* MapPage::chain(const std::string& name) const {
    const auto at = std::find_if(chains_.begin(), chains_.end(),
                                 [&](const MatchedChain& chain) { return chain.name == name; });
    return at == chains_.end() ? nullptr : &*at;
}

/// The levels on which something is set for a chain.
QString MapPage::kept_with(const std::string& name) const {
    if (name.empty()) return {};
    const ChainLevels levels = workspace_.levels(name);
    QStringList words;
    const std::array<QString, 4> all{QString(), tr("body"), tr("pair"), tr("take")};
    for (size_t i = 1; i < levels.size(); ++i)
        if (!levels[i].is_empty()) words << all[i];
    return words.join(", ");
}

void MapPage::make_lines() {
    lines_.clear();
    std::map<std::string, QString> kept;
    for (const MatchedChain& one : chains_) kept[one.name] = kept_with(one.name);
    for (const BoneMapRow& row : map_.rows) {
        Line line;
        line.joint = row.joint;
        line.role = row.role;
        line.chain = row.chain;
        line.kind = row.how == Driven::alone      ? Kind::alone
                    : row.how == Driven::between  ? Kind::between
                    : row.how == Driven::twist    ? Kind::twist
                    : row.how == Driven::left_out ? Kind::left_out
                                                  : Kind::rest;
        QString from = QString::fromStdString(row.from);
        if (!row.from_next.empty())
            from = tr("%1 to %2, %3 %")
                       .arg(from, QString::fromStdString(row.from_next))
                       .arg(int(std::lround(100 * row.share)));
        if (row.from.empty()) from = text_of(driven_text(row.how));
        line.cells = {QString::fromStdString(row.bone),
                      QString::fromStdString(row.role),
                      QString::fromStdString(row.chain),
                      from,
                      row.from.empty() ? QString() : tr("%1 %").arg(int(std::lround(100 * row.sure))),
                      QString::fromStdString(row.evidence),
                      kept[row.chain]};
        lines_.push_back(std::move(line));
    }
    for (const SourceBone& bone : map_.sources) {
        if (bone.fate == SourceBone::Fate::mapped) continue;
        Line line;
        line.joint = bone.joint;
        line.of_target = false;
        line.role = bone.role;
        line.kind = bone.fate == SourceBone::Fate::forgotten  ? Kind::lost
                    : bone.fate == SourceBone::Fate::given_up ? Kind::given_up
                    : bone.fate == SourceBone::Fate::left_out ? Kind::left_out
                                                              : Kind::all;
        line.cells = {QString::fromUtf8("—"),
                      QString::fromStdString(bone.role),
                      {},
                      tr("%1 %2").arg(QString::fromStdString(bone.bone),
                                      bone.fate == SourceBone::Fate::forgotten  ? tr("is lost")
                                      : bone.fate == SourceBone::Fate::given_up ? tr("is lost on purpose")
                                      : bone.fate == SourceBone::Fate::left_out ? tr("is left out")
                                                                                : tr("is handed on")),
                      {},
                      QString::fromStdString(bone.means),
                      {}};
        lines_.push_back(std::move(line));
    }
}

void MapPage::refresh_table() {
    is_stale_ = false;
    make_lines();
    const auto count = [&](Kind kind) {
        return int(std::count_if(lines_.begin(), lines_.end(), [&](const Line& line) {
            return kind == Kind::all || (line.kind == kind && (line.of_target || is_untaken(kind)));
        }));
    };
    const std::map<Kind, QString> words{{Kind::all, tr("all %1")},
                                        {Kind::alone, tr("driven %1")},
                                        {Kind::between, tr("between two %1")},
                                        {Kind::twist, tr("twist %1")},
                                        {Kind::rest, tr("keep their rest %1")},
                                        {Kind::left_out, tr("left out %1")},
                                        {Kind::lost, tr("lost %1")},
                                        {Kind::given_up, tr("lost on purpose %1")}};
    for (const auto& [kind, button] : counts_) {
        button->setText(words.at(kind).arg(kind == Kind::all ? int(map_.rows.size()) : count(kind)));
        button->setChecked(kind == kind_);
        button->setVisible(kind == Kind::all || kind == kind_ || count(kind) > 0);
    }
    const QString wanted = search_->text().trimmed();
    shown_.clear();
    for (size_t i = 0; i < lines_.size(); ++i) {
        const Line& line = lines_[i];
        if (kind_ != Kind::all && line.kind != kind_) continue;
        if (!wanted.isEmpty() && std::none_of(line.cells.begin(), line.cells.end(), [&](const QString& cell) {
                return cell.contains(wanted, Qt::CaseInsensitive);
            }))
            continue;
        shown_.push_back(int(i));
    }
    const QSignalBlocker blocker(table_);
    const int at = table_->currentRow();
    fit_rows(*table_);
    table_->setRowCount(int(shown_.size()));
    for (int row = 0; row < int(shown_.size()); ++row) {
        const Line& line = lines_[size_t(shown_[size_t(row)])];
        for (int i = 0; i <= choice_column; ++i) {
            const bool is_choice = i == choice_column;
            const bool is_choosable = line.of_target || is_untaken(line.kind);
            auto* item = new QTableWidgetItem(is_choice ? (is_choosable ? tr("choose …") : QString())
                                                        : line.cells[size_t(i)]);
            if (!is_choice) item->setToolTip(line.cells[size_t(i)]);
            const bool is_dim = i != 0 && (i != 3 || line.cells[4].isEmpty());
            item->setForeground(is_dim && !is_choice ? look().dim : look().text);
            table_->setItem(row, i, item);
        }
    }
    if (at >= 0 && at < table_->rowCount()) table_->selectRow(at);
}

/// A joint of a run is matched with one of the source's.
void MapPage::add_matches(QMenu& menu, const MatchedChain& of, int joint) {
    const auto place = std::find(of.T_joints.begin(), of.T_joints.end(), joint);
    if (of.is_limb || place == of.T_joints.end() || of.S_joints.empty()) return;
    const int target_bone = int(place - of.T_joints.begin());
    QMenu* match = menu.addMenu(tr("its end is matched with"));
    const Skeleton& skeleton = workspace_.source()->file.character.rig.skeleton;
    for (int i = 0; i < int(of.S_joints.size()); ++i) {
        auto* action = match->addAction(
            tr("the end of %1").arg(QString::fromStdString(skeleton.names[size_t(of.S_joints[size_t(i)])])),
            this, [this, of, target_bone, i] { edits_.match(of, target_bone, i); });
        action->setCheckable(true);
        action->setChecked(std::find(of.ticks.begin(), of.ticks.end(), ChainTick(i, target_bone)) !=
                           of.ticks.end());
    }
    match->addAction(tr("none: by length"), this,
                     [this, of, target_bone] { edits_.match(of, target_bone, -1); });
    menu.addAction(tr("the chain starts here"), this,
                   [this, of, target_bone] { edits_.set_end(of, true, target_bone, true); });
    menu.addAction(tr("the chain ends here"), this,
                   [this, of, target_bone] { edits_.set_end(of, true, target_bone, false); });
    menu.addAction(tr("the whole chain"), this, [this, of] { edits_.set_end(of, true, -1, true); });
}

void MapPage::add_drivers(QMenu& menu, const std::string& name) {
    QMenu* driver = menu.addMenu(tr("%1 is driven by").arg(QString::fromStdString(name)));
    const MatchedChain* of = chain(name);
    for (const ChainPlan& other : body_plan(workspace_.source()->file.character.roles.plan).chains) {
        if (other.is_limb) continue;
        auto* action = driver->addAction(QString::fromStdString(other.name), this,
                                         [this, name, by = other.name] { edits_.drive_by(name, by); });
        action->setCheckable(true);
        action->setChecked(of && of->source_name == other.name);
    }
}

std::vector<std::string> MapPage::helpers_like(int target_joint) const {
    const auto role_above = [](const Character& body, int joint) {
        for (int j = body.rig.skeleton.parents[size_t(joint)]; j >= 0;
             j = body.rig.skeleton.parents[size_t(j)])
            if (std::string role = body.roles.role_of(j); !role.empty()) return role;
        return std::string();
    };
    const std::string above = role_above(workspace_.target()->file.character, target_joint);
    const Character& source = workspace_.source()->file.character;
    std::vector<std::string> names;
    for (int j = 0; j < source.rig.skeleton.size(); ++j)
        if (source.roles.role_of(j).empty() && source.rig.skeleton.parents[size_t(j)] >= 0 &&
            role_above(source, j) == above)
            names.push_back(source.rig.skeleton.names[size_t(j)]);
    return names;
}

/// How a bone turns and where it stands, beside the map.
void MapPage::add_rules(QMenu& menu, const BoneMapRow& row) {
    const std::string bone = row.role.empty() ? row.bone : row.role;
    if (row.how == Driven::outside || row.role == "hips" || row.role == "root") return;
    const auto add = [&](QMenu& to, const QString& text, const BoneRule& rule) {
        auto* action = to.addAction(text, this, [this, bone, rule] { edits_.set_bone(bone, rule); });
        action->setCheckable(true);
        action->setChecked(row.rule == rule);
    };
    const auto with_place = [&](BonePosition position) {
        BoneRule rule = row.rule;
        rule.position = position;
        return rule;
    };
    QMenu* place = menu.addMenu(tr("its place on the bone above"));
    add(*place, tr("kept, as at its rest"), with_place(BonePosition::kept));
    add(*place, tr("moves as in the take, scaled"), with_place(BonePosition::scaled));
    add(*place, tr("as far off as in the take"), with_place(BonePosition::taken));
    const std::vector<std::string> helpers =
        row.role.empty() ? helpers_like(row.joint) : std::vector<std::string>();
    if (helpers.empty() && row.rule.follows.empty()) return;
    QMenu* turn = menu.addMenu(tr("it turns with"));
    add(*turn, tr("nothing but the bone above"), {{}, row.rule.position});
    for (const std::string& helper : helpers)
        add(*turn, QString::fromStdString(helper), {helper, row.rule.position});
}

void MapPage::add_losses(QMenu& menu, const Line& line) {
    if (line.kind == Kind::given_up) {
        menu.addAction(tr("it is missed again"), this,
                       [this, role = line.role] { edits_.lose({role}, false); });
        return;
    }
    menu.addAction(tr("lost on purpose"), this, [this, role = line.role] { edits_.lose({role}, true); });
    std::vector<std::string> all;
    for (const SourceBone& bone : map_.sources)
        if (bone.fate == SourceBone::Fate::forgotten) all.push_back(bone.role);
    if (all.size() > 1)
        menu.addAction(tr("all %1 that are lost, on purpose").arg(all.size()), this,
                       [this, all] { edits_.lose(all, true); });
}

std::unique_ptr<QMenu> MapPage::choices(int row) {
    auto menu = std::make_unique<QMenu>(this);
    if (row < 0 || row >= int(shown_.size()) || !workspace_.plan()) return menu;
    const Line line = lines_[size_t(shown_[size_t(row)])];
    if (const MatchedChain* of = line.of_target ? chain(line.chain) : nullptr) {
        add_matches(*menu, *of, line.joint);
        if (!of->is_limb) add_drivers(*menu, of->name);
        const bool is_out = of->is_left_out;
        menu->addAction(
            (is_out ? tr("take %1 in again") : tr("leave %1 out")).arg(QString::fromStdString(of->name)),
            this, [this, name = of->name, is_out] { edits_.leave_out(name, !is_out); });
        if (!kept_with(of->name).isEmpty())
            menu->addAction(tr("%1 as the plan has it").arg(QString::fromStdString(of->name)), this,
                            [this, name = of->name] { edits_.withdraw(name); });
        menu->addSeparator();
    }
    if (line.of_target) {
        const auto bone = std::find_if(map_.rows.begin(), map_.rows.end(),
                                       [&](const BoneMapRow& one) { return one.joint == line.joint; });
        if (bone != map_.rows.end()) add_rules(*menu, *bone);
    } else if (is_untaken(line.kind)) {
        add_losses(*menu, line);
    }
    // What nobody takes can drive a run of the target that has nothing.
    const ChainPlan* lost =
        line.of_target || line.kind != Kind::lost
            ? nullptr
            : body_plan(workspace_.source()->file.character.roles.plan).chain_of(line.role);
    if (lost && !lost->is_limb)
        for (const MatchedChain& of : chains_)
            if (!of.is_limb && of.S_joints.empty())
                menu->addAction(tr("let it drive %1").arg(QString::fromStdString(of.name)), this,
                                [this, name = of.name, by = lost->name] { edits_.drive_by(name, by); });
    menu->addAction(line.role.empty() ? tr("give it a role, in Roles") : tr("its role, in Roles"), this,
                    [this, role = QString::fromStdString(line.role)] { emit role_wanted(role); });
    return menu;
}

void MapPage::open_choices(int row) {
    table_->selectRow(row);
    const auto menu = choices(row);
    const QRect cell = table_->visualItemRect(table_->item(row, choice_column));
    menu->exec(table_->viewport()->mapToGlobal(cell.bottomLeft()));
}

void MapPage::write(const QString& path) {
    try {
        write_file(path.toStdString(), bone_map_csv(map_));
        emit said(tr("Written: %1").arg(path));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

}  // namespace nb
