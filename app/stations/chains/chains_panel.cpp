#include "app/stations/chains/chains_panel.hpp"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stations/chains/chain_form.hpp"
#include "app/stations/chains/chains_sheet.hpp"

namespace nb {

namespace {

constexpr int first_expectations = 5;

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
    connect(unconfirmed_, &QPushButton::clicked, this, [this] { edits_.withdraw_unconfirmed(); });
}

ChainsPanel::ChainsPanel(Workspace& workspace, StageView& stage, ChainsSheet& sheet, ChainEdits& edits,
                         QWidget* parent)
    : QWidget(parent), workspace_(workspace), stage_(stage), sheet_(sheet), edits_(edits) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 14, 14, 12);
    column->setSpacing(6);
    column->addWidget(title_ = heading_label({}, this));
    column->addWidget(about_ = dim_label({}, this));
    column->addWidget(form_ = new ChainForm(workspace, edits, this));
    auto* buttons = new QHBoxLayout;
    confirm_ = new QPushButton(tr("confirm"), this);
    confirm_->setToolTip(tr("Keeps what was proposed for this chain"));
    withdraw_ = new QPushButton(tr("as the plan has it"), this);
    withdraw_->setToolTip(tr("Takes back what is set for this chain on any level"));
    withdraw_all_ = new QPushButton(tr("all chains"), this);
    withdraw_all_->setToolTip(tr("Takes back what is set for any chain on any level"));
    for (QPushButton* button : {confirm_, withdraw_, withdraw_all_}) buttons->addWidget(button);
    buttons->addStretch();
    column->addLayout(buttons);
    column->addSpacing(8);
    build_proposals(*column);
    column->addSpacing(8);
    column->addWidget(heading_label(tr("What to expect"), this));
    expect_ = new QLabel(this);
    expect_->setWordWrap(true);
    expect_->setTextFormat(Qt::RichText);
    column->addWidget(expect_);
    column->addSpacing(8);
    column->addWidget(heading_label(tr("Coverage"), this));
    column->addWidget(cover_ = dim_label({}, this));
    column->addStretch();

    ChainRuler& ruler = sheet_.ruler();
    connect(confirm_, &QPushButton::clicked, this, [this] { edits_.confirm(chain()); });
    connect(withdraw_, &QPushButton::clicked, this, [this] { edits_.withdraw(chain()); });
    connect(withdraw_all_, &QPushButton::clicked, this, [this] { edits_.withdraw({}); });
    connect(&ruler, &ChainRuler::chain_chosen, this, &ChainsPanel::refresh_chosen);
    connect(&ruler, &ChainRuler::tick_moved, this, &ChainsPanel::move_tick);
    connect(&ruler, &ChainRuler::end_wanted, this,
            [this](const QString& name, bool of_target, int bone, bool is_first) {
                sheet_.ruler().choose(name);
                if (const MatchedChain* matched = matched_chain(name.toStdString()))
                    edits_.set_end(*matched, of_target, bone, is_first);
            });
    connect(&ruler, &ChainRuler::bone_picked, this,
            [this](bool of_target, int joint) { stage_.select(of_target, joint); });
    connect(&sheet_.map(), &MapPage::bone_chosen, this,
            [this](bool of_target, int joint, const QString& chain) {
                stage_.select(of_target, joint);
                choose(chain);
            });
    connect(&stage_, &StageView::selection_changed, this, [this] {
        if (!isVisible() || stage_.selected_joint() < 0) return;
        for (const ChainRuler::Row& row : sheet_.ruler().rows()) {
            const auto& joints = stage_.is_selected_in_target() ? row.chain.T_joints : row.chain.S_joints;
            if (std::find(joints.begin(), joints.end(), stage_.selected_joint()) == joints.end()) continue;
            return choose(QString::fromStdString(row.chain.name));
        }
    });
    connect(expect_, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == "*") {
            is_whole_ = true;
            return refresh_expected();
        }
        choose(link);
    });
    connect(cover_, &QLabel::linkActivated, this, [this] { sheet_.show_map(true); });
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] { is_whole_ = false; });
    for (const auto signal : {&Workspace::settings_changed, &Workspace::source_changed,
                              &Workspace::target_changed, &Workspace::rest_changed})
        connect(&workspace_, signal, this, &ChainsPanel::follow);
    follow();
}

/// What nobody sees is worked out when somebody looks.
void ChainsPanel::follow() {
    is_stale_ = true;
    if (isVisible()) refresh();
}

void ChainsPanel::showEvent(QShowEvent*) {
    if (is_stale_) refresh();
}

std::string ChainsPanel::chain() const {
    return sheet_.ruler().chosen().toStdString();
}

void ChainsPanel::choose(const QString& chain) {
    sheet_.ruler().choose(chain);
    refresh_chosen();
}

const MatchedChain* ChainsPanel::matched_chain(const std::string& name) const {
    for (const ChainRuler::Row& row : sheet_.ruler().rows())
        if (row.chain.name == name) return &row.chain;
    return nullptr;
}

void ChainsPanel::move_tick(const QString& name, int target_bone, int source_bone) {
    sheet_.ruler().choose(name);
    const MatchedChain* matched = matched_chain(name.toStdString());
    if (!matched) return;
    edits_.match(*matched, target_bone, source_bone);
    form_->take_in_hand(ticks_field());
}

void ChainsPanel::propose(bool only_empty) {
    const int count = edits_.propose(
        {trusted_[0]->isChecked(), trusted_[1]->isChecked(), trusted_[2]->isChecked()}, only_empty);
    emit said(count ? tr("Proposed for %1 runs; they are marked until you confirm them.").arg(count)
                    : tr("Nothing to propose: runs have like counts, or are set already."));
}

void ChainsPanel::refresh() {
    const Plan* plan = workspace_.plan();
    is_stale_ = false;
    setEnabled(plan != nullptr);
    std::vector<ChainRuler::Row> rows;
    std::vector<MatchedChain> chains;
    map_ = {};
    expected_.clear();
    if (plan) {
        const Character& S = workspace_.source()->file.character;
        const Character& T = workspace_.target()->file.character;
        map_ = bone_map(S, T, *plan);
        expected_ = forecast(S, T, *plan);
        chains = match_chains(S, T, plan->report.chains);
        for (const MatchedChain& chain : chains) {
            // Heads and palms match by role and have no length to compare.
            if (chain.is_limb && !is_limb_name(chain.name)) continue;
            ChainRuler::Row row;
            const ChainSettings& set = settings_of(plan->report.chains, chain.name);
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
            row.chain = chain;
            rows.push_back(std::move(row));
        }
    }
    sheet_.ruler().set_rows(std::move(rows));
    sheet_.map().show_map(map_, chains);
    refresh_expected();
    cover_->setText(
        tr("%1 bones are driven, %2 between two, %3 twist, %4 keep their rest, %5 left out on purpose; %6 "
           "of the source are forgotten: their motion is lost. %7")
            .arg(map_.count(Driven::alone))
            .arg(map_.count(Driven::between))
            .arg(map_.count(Driven::twist))
            .arg(map_.count(Driven::rest))
            .arg(map_.count(Driven::left_out))
            .arg(map_.count(SourceBone::Fate::forgotten))
            .arg(link_to("map", tr("The map, bone by bone"), look().text)));
    refresh_chosen();
}

void ChainsPanel::refresh_expected() {
    QStringList lines;
    const size_t shown =
        is_whole_ ? expected_.size() : std::min<size_t>(first_expectations, expected_.size());
    for (size_t i = 0; i < shown; ++i) {
        const QString text = QString::fromStdString(expected_[i].text);
        lines << (expected_[i].chain.empty()
                      ? text.toHtmlEscaped()
                      : link_to(QString::fromStdString(expected_[i].chain), text, look().text));
    }
    if (shown < expected_.size())
        lines << link_to("*", tr("and %1 more").arg(expected_.size() - shown), look().text);
    expect_->setText(lines.isEmpty() ? tr("Nothing stands out.") : lines.join("<br>"));
}

void ChainsPanel::refresh_chosen() {
    const std::string name = chain();
    title_->setText(name.empty() ? tr("Chains") : QString::fromStdString(name));
    const Plan* plan = workspace_.plan();
    const ChainSettings now =
        merged(usual_settings(name), plan ? settings_of(plan->report.chains, name) : ChainSettings());
    const bool is_proposed = settings_of(workspace_.settings().chains, name).is_proposed;
    const MatchedChain* shown = matched_chain(name);
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
    confirm_->setVisible(is_proposed);
    form_->show_chain(name, shown);
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

int ChainsPanel::open_points() const {
    const Plan* plan = workspace_.plan();
    if (!plan) return 0;
    const Character& S = workspace_.source()->file.character;
    const Character& T = workspace_.target()->file.character;
    return int(open_chains(S, T, plan->report.chains).size());
}

void ChainsPanel::refresh_look() {
    refresh();
    sheet_.map().refresh_look();
}

}  // namespace nb
