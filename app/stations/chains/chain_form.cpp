#include "app/stations/chains/chain_form.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "core/body/plan.hpp"
#include "core/solve/clear.hpp"

namespace nb {

namespace {

constexpr int field_px = 104;
constexpr std::array<SettingLevel, 3> kept_levels{SettingLevel::character, SettingLevel::pairing,
                                                  SettingLevel::take};

QString level_word(SettingLevel level) {
    return level == SettingLevel::character ? QObject::tr("body")
           : level == SettingLevel::pairing ? QObject::tr("pair")
           : level == SettingLevel::take    ? QObject::tr("take")
                                            : QString();
}

QString level_tip(SettingLevel level) {
    return level == SettingLevel::character ? QObject::tr("Kept with this body: it holds whatever drives it")
           : level == SettingLevel::pairing ? QObject::tr("Kept with this source and this target")
           : level == SettingLevel::take    ? QObject::tr("Kept for this take on this target alone")
                                            : QObject::tr("As the body plan has it");
}

}  // namespace

void ChainForm::add_row(QGridLayout& grid, const ChainField& setting, QWidget* field) {
    Row row;
    row.setting = setting;
    row.name = new QLabel(setting.name, this);
    row.name->setBuddy(field);
    row.field = field;
    row.mark = dim_label({}, this);
    row.mark->setTextFormat(Qt::RichText);
    row.mark->setWordWrap(false);
    field->setAccessibleName(setting.name);
    field->setFocusPolicy(Qt::StrongFocus);
    when_scaled(field, [field] { field->setMaximumWidth(scaled(field_px)); });
    const int at = grid.rowCount();
    grid.addWidget(row.name, at, 0);
    grid.addWidget(field, at, 1);
    grid.addWidget(row.mark, at, 2);
    const size_t index = rows_.size();
    connect(row.mark, &QLabel::linkActivated, this, [this, index] { take_in_hand(rows_[index].setting); });
    rows_.push_back(row);
}

void ChainForm::add_number(QGridLayout& grid, const QString& name, const QString& tip,
                           std::optional<double> ChainSettings::*setting, double unit, double least,
                           double most, const QString& suffix) {
    auto* field = new QDoubleSpinBox(this);
    field->setRange(least, most);
    field->setDecimals(suffix == " %" && setting != &ChainSettings::soften_from ? 0 : 1);
    field->setSuffix(suffix);
    field->setKeyboardTracking(false);
    field->setToolTip(tip);
    const size_t row = rows_.size();
    add_row(grid, chain_field(name, setting), field);
    const int topic = 10 + int(numbers_.size());
    numbers_.push_back({setting, unit, field, row});
    connect(field, &QDoubleSpinBox::valueChanged, this, [this, row, setting, unit, topic](double value) {
        edits_.set(chain_, rows_[row].setting, rows_[row].name->text(), topic,
                   [=](ChainSettings& set) { set.*setting = unit * value; });
        take_in_hand(rows_[row].setting);
    });
}

ChainForm::ChainForm(Workspace& workspace, ChainEdits& edits, QWidget* parent)
    : QWidget(parent), workspace_(workspace), edits_(edits) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(3);
    left_out_ = new QCheckBox(tr("left out on purpose"), this);
    left_out_->setToolTip(tr("The target's bones keep their rest relative to the bone above"));
    grid->addWidget(left_out_, 0, 0, 1, 3);
    driver_ = new QComboBox(this);
    driver_->setToolTip(tr("Which chain of the source drives it"));
    add_row(*grid, driver_field(), driver_);
    carry_ = new QComboBox(this);
    carry_->addItem(tr("angles"), int(Carry::angles));
    carry_->addItem(tr("tip"), int(Carry::limb));
    carry_->addItem(tr("place"), int(Carry::place));
    carry_->setToolTip(
        tr("angles: bones point as the source's do\ntip: the chain's end stands where the source's does, in "
           "the chain's own scale\nplace: its end stands at the source's place in the world, scaled as the "
           "body travels"));
    add_row(*grid, chain_field(tr("what crosses"), &ChainSettings::carry), carry_);
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
               &ChainSettings::length_share, 0.01, 0, 100, " %");
    add_number(
        *grid, tr("shoulder share"),
        tr("How much of the arm's rise above 30° the clavicle takes, where the source's does not move; "
           "the hand stays. Living shoulders: about 33 %"),
        &ChainSettings::shoulder_share, 0.01, 0, 100, " %");
    add_number(
        *grid, tr("stiff"),
        tr("0 %: bends where the source does. 100 %: bends in its first joint alone, as a rod. Its last "
           "bone points as the source's either way"),
        &ChainSettings::stiffness, 0.01, 0, 100, " %");
    add_number(*grid, tr("kept in people's ranges"),
               tr("Of what shoulder, elbow and wrist, hip and knee, or the head go beyond people's ranges "
                  "(AAOS), how much "
                  "does not cross; soft over the last 10°. Feet that stand and hands that touch go first"),
               &ChainSettings::keep_within, 0.01, 0, 100, " %");
    add_number(*grid, tr("margin over the skin"),
               tr("How far forearm and hand (shin and foot) stay off the own body where they do in the take; "
                  "negative: "
                  "so deep they may sink in"),
               &ChainSettings::margin_m, 0.01, -10, 20, " cm");
    add_number(
        *grid, tr("trunk leans"),
        tr("How much of what an arm lacks to what its hand holds or lies on the trunk gives, by up to 15°"),
        &ChainSettings::trunk_gives, 0.01, 0, 100, " %");
    may_touch_ = new QToolButton(this);
    may_touch_->setPopupMode(QToolButton::InstantPopup);
    may_touch_->setToolTip(
        tr("What of the body it may lie in: the pass clear lets it be there, as with crossed arms"));
    auto* menu = new QMenu(may_touch_);
    for (const std::string_view word : touchable_groups) {
        QAction* group = menu->addAction(QString::fromUtf8(word.data(), qsizetype(word.size())));
        group->setCheckable(true);
        connect(group, &QAction::triggered, this, &ChainForm::set_may_touch);
    }
    may_touch_->setMenu(menu);
    may_touch_row_ = rows_.size();
    add_row(*grid, chain_field(tr("may lie in"), &ChainSettings::may_touch), may_touch_);
    folds_hand_ = new QCheckBox(this);
    folds_hand_->setToolTip(
        tr("The target has no such hand: its forearm points and rolls as forearm and hand of the source do "
           "together"));
    folds_hand_row_ = rows_.size();
    add_row(*grid, chain_field(tr("hand folded into the forearm"), &ChainSettings::folds_hand), folds_hand_);
    grid->setColumnStretch(0, 1);
    grid->setColumnMinimumWidth(2, 34);
    column->addLayout(grid);
    column->addLayout(make_level_line());
    connect_fields();
}

QHBoxLayout* ChainForm::make_level_line() {
    auto* line = new QHBoxLayout;
    line->setSpacing(4);
    kept_ = dim_label({}, this);
    kept_->setWordWrap(false);
    line->addWidget(kept_, 1);
    for (size_t i = 0; i < kept_levels.size(); ++i) {
        auto* button = levels_[i] =
            word_button(level_word(kept_levels[i]), level_tip(kept_levels[i]), this, true);
        connect(button, &QToolButton::clicked, this, [this, i] { move_to(kept_levels[i]); });
        line->addWidget(button);
    }
    back_ = word_button(tr("take back"), tr("As the body plan has it: no level says anything of it any more"),
                        this);
    connect(back_, &QToolButton::clicked, this, [this] {
        if (in_hand_) edits_.take_back(chain_, *in_hand_);
        refresh_level_line();
    });
    line->addWidget(back_);
    return line;
}

void ChainForm::connect_fields() {
    connect(left_out_, &QCheckBox::clicked, this, [this](bool on) {
        edits_.leave_out(chain_, on);
        take_in_hand(left_out_field());
    });
    connect(folds_hand_, &QCheckBox::clicked, this, [this](bool on) {
        const ChainField& field = rows_[folds_hand_row_].setting;
        edits_.set(chain_, field, field.name, -1, [on](ChainSettings& set) { set.folds_hand = on; });
        take_in_hand(field);
    });
    connect(carry_, &QComboBox::activated, this, [this] {
        const auto to = Carry(carry_->currentData().toInt());
        edits_.set(chain_, rows_[1].setting, tr("what of a chain crosses"), -1,
                   [to](ChainSettings& set) { set.carry = to; });
        take_in_hand(rows_[1].setting);
    });
    connect(driver_, &QComboBox::activated, this, [this] {
        edits_.drive_by(chain_, driver_->currentData().toString().toStdString());
        take_in_hand(driver_field());
    });
}

/// The source has a hand there, the target none.
bool ChainForm::lacks_hand() const {
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    const std::string hand = "hand" + std::string(side_suffix(role_side(chain_)));
    return source && target && source->file.character.roles.joint(hand) >= 0 &&
           target->file.character.roles.joint(hand) < 0;
}

void ChainForm::set_may_touch() {
    std::vector<std::string> words;
    for (const QAction* group : may_touch_->menu()->actions())
        if (group->isChecked() && group->isVisible()) words.push_back(group->text().toStdString());
    edits_.set(chain_, rows_[may_touch_row_].setting, tr("what it may lie in"), -1,
               [words](ChainSettings& set) { set.may_touch = words; });
    take_in_hand(rows_[may_touch_row_].setting);
}

void ChainForm::take_in_hand(const ChainField& field) {
    in_hand_ = &field;
    refresh_level_line();
}

SettingLevel ChainForm::level() const {
    return in_hand_ ? edits_.speaks(chain_, *in_hand_) : SettingLevel::plan;
}

void ChainForm::move_to(SettingLevel level) {
    if (in_hand_) edits_.move(chain_, *in_hand_, level);
    refresh_level_line();
}

void ChainForm::refresh_level_line() {
    const SettingLevel now = level();
    const bool is_shown = now != SettingLevel::plan;
    kept_->setVisible(is_shown);
    back_->setVisible(is_shown);
    if (is_shown) {
        kept_->setText(tr("kept with"));
        kept_->setToolTip(tr("%1: a click moves it to another level").arg(in_hand_->name));
    }
    for (size_t i = 0; i < kept_levels.size(); ++i) {
        levels_[i]->setVisible(is_shown && !(in_hand_->needs_pair && kept_levels[i] < SettingLevel::pairing));
        levels_[i]->setChecked(kept_levels[i] == now);
    }
    refresh_marks();
}

void ChainForm::refresh_marks() {
    for (Row& row : rows_) {
        const SettingLevel by = edits_.speaks(chain_, row.setting);
        const bool is_in_hand = in_hand_ == &row.setting;
        const QString word = level_word(by);
        row.mark->setText(word.isEmpty() ? word : link_to("x", word, is_in_hand ? look().text : look().dim));
        row.mark->setToolTip(by == SettingLevel::plan
                                 ? level_tip(by)
                                 : tr("%1. Click: move it or take it back").arg(level_tip(by)));
    }
}

void ChainForm::show_chain(const std::string& chain, const MatchedChain* matched) {
    if (chain != chain_) in_hand_ = nullptr;
    chain_ = chain;
    const Plan* plan = workspace_.plan();
    ChainSettings usual = usual_settings(chain);
    if (plan && plan->program.clear)
        for (size_t limb = 0; limb < limb_count; ++limb)
            if (chain == limb_names[limb]) usual.margin_m = plan->program.clear->margin_m[limb];
    const ChainSettings now = merged(usual, plan ? settings_of(plan->report.chains, chain) : ChainSettings());
    const bool is_limb = chain.starts_with("arm.") || chain.starts_with("leg.");
    const bool is_run = matched && !matched->is_limb;
    left_out_->setChecked(*now.is_left_out);
    left_out_->setEnabled(matched && (is_run || is_limb));
    const QSignalBlocker a(driver_), b(carry_);
    driver_->clear();
    const LoadedPtr source = workspace_.source();
    for (const ChainPlan& other :
         body_plan(source ? source->file.character.roles.plan : std::string("biped")).chains)
        if (!other.is_limb)
            driver_->addItem(QString::fromStdString(other.name), QString::fromStdString(other.name));
    driver_->setCurrentIndex(
        driver_->findData(QString::fromStdString(now.driven_by->empty() ? chain : *now.driven_by)));
    carry_->setCurrentIndex(carry_->findData(int(*now.carry)));
    refresh_numbers(now, is_run, is_limb);
    refresh_level_line();
}

void ChainForm::refresh_numbers(const ChainSettings& now, bool is_run, bool is_limb) {
    const bool is_arm = chain_.starts_with("arm");
    const bool by_tip = now.carry != Carry::angles;
    const auto show = [](const Row& row, bool is_shown) {
        for (QWidget* widget : {static_cast<QWidget*>(row.name), row.field, static_cast<QWidget*>(row.mark)})
            widget->setVisible(is_shown);
    };
    show(rows_[0], is_run);
    show(rows_[1], is_run || is_limb);
    show(rows_[may_touch_row_], is_limb);
    show(rows_[folds_hand_row_], is_arm && lacks_hand());
    folds_hand_->setChecked(*now.folds_hand);
    QStringList words;
    for (QAction* group : may_touch_->menu()->actions()) {
        group->setVisible(is_arm || group->text() == "legs");
        group->setChecked(std::find(now.may_touch->begin(), now.may_touch->end(),
                                    group->text().toStdString()) != now.may_touch->end());
        if (group->isChecked()) words << group->text();
    }
    may_touch_->setText(words.isEmpty() ? tr("nothing") : words.join(", "));
    for (const Number& number : numbers_) {
        const auto setting = number.setting;
        const bool is_of_tip = setting == &ChainSettings::tip_share || setting == &ChainSettings::soften_from;
        Row& row = rows_[number.row];
        show(row, setting == &ChainSettings::shoulder_share ? is_arm
                  : setting == &ChainSettings::start_gives  ? is_limb && (!is_arm || by_tip)
                  : setting == &ChainSettings::pole_rad     ? is_limb
                  : setting == &ChainSettings::stiffness    ? is_run
                  : setting == &ChainSettings::margin_m     ? is_limb
                  : setting == &ChainSettings::trunk_gives  ? is_limb && is_arm
                  : setting == &ChainSettings::keep_within  ? is_limb || chain_ == "neck"
                  : is_of_tip                               ? (is_run || is_limb) && by_tip
                                                            : is_run || is_limb);
        if (setting == &ChainSettings::pole_rad)
            row.name->setText(is_arm ? tr("elbow turned out") : tr("knee turned out"));
        if (setting == &ChainSettings::start_gives)
            row.name->setText(is_arm ? tr("clavicle gives way") : tr("hips give way"));
        const QSignalBlocker blocker(number.field);
        number.field->setValue(*(now.*setting) / number.unit);
    }
}

}  // namespace nb
