#include "app/stations/hand_over/join_page.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <array>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/stations/hand_over/join_strip.hpp"

namespace nb {

namespace {

/// Puts a field in a line, and among those that are shown together.
struct Adder {
    QLayout& line;
    void operator()(std::vector<QWidget*>& of, QWidget* widget) const {
        of.push_back(widget);
        line.addWidget(widget);
    }
};

constexpr std::array meeting{"foot.left", "foot.right", "hips", "hand.left", "hand.right"};

}  // namespace

JoinPage::JoinPage(JoinDesk& desk, QWidget* parent)
    : QWidget(parent), desk_(desk), strip_(new JoinStrip(desk, this)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 0, 12, 6);
    column->setSpacing(4);
    column->addLayout(make_head());
    column->addWidget(strip_, 1);
    column->addLayout(make_fields());
    column->addLayout(make_row_fields());
    connect(strip_, &JoinStrip::selected_changed, this, &JoinPage::refresh);
    connect(&desk_, &JoinDesk::changed, this, &JoinPage::refresh);
    connect(&desk_, &JoinDesk::ready, this, &JoinPage::refresh);
    refresh();
}

JoinPlan::Clip* JoinPage::clip_of(JoinPlan& plan) const {
    const int clip = strip_->clip();
    return clip >= 0 && clip < int(plan.clips.size()) ? &plan.clips[size_t(clip)] : nullptr;
}

Seam* JoinPage::seam_of(JoinPlan& plan) const {
    const int seam = strip_->seam();
    return seam >= 0 && seam < int(plan.seams.size()) ? &plan.seams[size_t(seam)] : nullptr;
}

QToolButton* JoinPage::button(const QString& text, const QString& tip, const std::function<void()>& run) {
    auto* made = word_button(text, tip, this);
    connect(made, &QToolButton::clicked, this, run);
    return made;
}

QLayout* JoinPage::make_head() {
    auto* head = new Flow(6);
    head->addWidget(button(tr("put the shown take in the row"),
                           tr("The take on the stage, on the body on the stage, as the last clip"),
                           [this] { desk_.add_shown(); }));
    kept_ = new QComboBox(this);
    kept_->setAccessibleName(tr("kept plans"));
    kept_->setToolTip(tr("Plans kept with the library"));
    connect(kept_, &QComboBox::activated, this, [this](int at) {
        if (!is_filling_ && at > 0) desk_.take_up(at - 1);
    });
    head->addWidget(kept_);
    head->add_gap();
    told_ = new QLabel(this);
    told_->setObjectName("how long");
    told_->setProperty("dim", true);
    name_ = new QLineEdit(this);
    name_->setAccessibleName(tr("name of the joined take"));
    name_->setToolTip(tr("Name of the plan, and of the take that is made of it"));
    const int topic = ++topics_;
    connect(name_, &QLineEdit::textEdited, this, [this, topic](const QString& now) {
        if (!is_filling_)
            desk_.change(tr("name of the plan"), topic,
                         [&](JoinPlan& plan) { plan.name = now.toStdString(); });
    });
    when_scaled(name_, [this] { name_->setMinimumWidth(scaled(210)); });
    head->addWidget(name_);
    keep_ = button(tr("keep the plan"), tr("Keeps the plan with the library"), [this] { desk_.keep(); });
    head->addWidget(keep_);
    make_ = new QPushButton(tr("make it a take"), this);
    make_->setObjectName("make it a take");
    make_->setProperty("is_main", true);
    make_->setToolTip(tr("A take of the library on this body, put on the stage; the parts stay as they are"));
    connect(make_, &QPushButton::clicked, this, [this] { desk_.make_take(); });
    head->addWidget(make_);
    return head;
}

QLabel* JoinPage::word(const QString& text, std::vector<QWidget*>& of) {
    auto* label = new QLabel(text, this);
    label->setProperty("dim", true);
    of.push_back(label);
    return label;
}

QDoubleSpinBox* JoinPage::number(const QString& name, const QString& tip, double high, int decimals,
                                 const QString& unit, const std::function<double()>& is,
                                 const std::function<void(JoinPlan&, double)>& set) {
    auto* box = number_box(name, tip, 0.0, high, decimals, unit, this);
    box->setSingleStep(decimals > 0 ? 0.05 : 1.0);
    when_scaled(box, [box] { box->setFixedWidth(scaled(70)); });
    const int topic = ++topics_;
    connect(box, &QDoubleSpinBox::valueChanged, this, [this, set, topic, name](double value) {
        if (!is_filling_) desk_.change(name, topic, [&](JoinPlan& plan) { set(plan, value); });
    });
    fill_.emplace_back([box, is] { box->setValue(is()); });
    return box;
}

QLayout* JoinPage::make_fields() {
    auto* fields = new Flow(6);
    const Adder add{*fields};
    // The plan is const here; what is in hand of it is looked up anew each time.
    const auto clip = [this] {
        JoinPlan plan = desk_.plan();
        const JoinPlan::Clip* found = clip_of(plan);
        return found ? *found : JoinPlan::Clip{};
    };
    const auto seam = [this] {
        JoinPlan plan = desk_.plan();
        const Seam* found = seam_of(plan);
        return found ? *found : Seam{};
    };
    fields->addWidget(word(tr("clip: from frame"), of_clip_));
    add(of_clip_, number(
                      tr("first frame of the clip"), tr("Of its result on this body"), 1e7, 0, {},
                      [clip] { return double(clip().first); },
                      [this](JoinPlan& plan, double v) {
                          JoinPlan::Clip* of = clip_of(plan);
                          if (!of) return;
                          of->first = int(v);
                          if (of->last != 0) of->last = std::max(of->last, of->first + 1);
                      }));
    fields->addWidget(word(tr("to"), of_clip_));
    auto* last = number(
        tr("last frame of the clip"), tr("Up to, not including, this frame; 0: to the end"), 1e7, 0, {},
        [clip] { return double(clip().last); },
        [this](JoinPlan& plan, double v) {
            JoinPlan::Clip* of = clip_of(plan);
            if (of) of->last = v < 0.5 ? 0 : std::max(int(v), of->first + 1);
        });
    last->setSpecialValueText(tr("the end"));
    add(of_clip_, last);
    fields->addWidget(word(tr("pace"), of_clip_));
    auto* pace = number(
        tr("pace of the clip"), tr("110 %: in 1 / 1.1 of the time"), 1000, 0, tr(" %"),
        [clip] { return clip().pace; },
        [this](JoinPlan& plan, double v) {
            if (JoinPlan::Clip* of = clip_of(plan)) of->pace = v;
        });
    pace->setMinimum(10.0);
    add(of_clip_, pace);
    add(of_clip_, button(tr("earlier"), tr("Before the clip before it"), [this] {
            const int at = strip_->clip();
            desk_.move(at, -1);
            strip_->select(std::max(0, 2 * (at - 1)));
        }));
    add(of_clip_, button(tr("later"), tr("Behind the clip behind it"), [this] {
            const int at = strip_->clip();
            desk_.move(at, 1);
            strip_->select(2 * (at + 1));
        }));
    add(of_clip_, button(tr("take out"), tr("The clip leaves the row (Delete)"),
                         [this] { desk_.take_out(strip_->clip()); }));

    fields->addWidget(word(tr("seam: what meets"), of_seam_));
    meets_ = new QComboBox(this);
    meets_->setAccessibleName(tr("what meets at the seam"));
    meets_->setToolTip(tr("It stays in its place on the floor, and the headings agree there"));
    for (const char* role : meeting) meets_->addItem(meeting_word(role), QString(role));
    connect(meets_, &QComboBox::activated, this, [this](int at) {
        if (is_filling_) return;
        const std::string role = meets_->itemData(at).toString().toStdString();
        desk_.change(tr("what meets at a seam"), -1, [&](JoinPlan& plan) {
            if (Seam* of = seam_of(plan)) of->point = role;
        });
    });
    add(of_seam_, meets_);
    fields->addWidget(word(tr("over"), of_seam_));
    add(of_seam_,
        number(
            tr("length of the overlap"), tr("Both clips are blended over it, feet where they stand"), 10, 2,
            tr(" s"), [seam] { return seam().overlap_s; },
            [this](JoinPlan& plan, double v) {
                if (Seam* of = seam_of(plan)) of->overlap_s = v;
            }));
    auto* nearest = new QCheckBox(tr("where poses are nearest, within"), this);
    nearest->setToolTip(tr("Off: at the clips' very ends"));
    connect(nearest, &QCheckBox::toggled, this, [this](bool on) {
        if (is_filling_) return;
        desk_.change(tr("where a seam lies"), -1, [&](JoinPlan& plan) {
            if (Seam* of = seam_of(plan)) of->is_searched = on;
        });
    });
    fill_.emplace_back([nearest, seam] { nearest->setChecked(seam().is_searched); });
    add(of_seam_, nearest);
    add(of_seam_,
        number(
            tr("where the seam is looked for"), tr("From the end of the one, the begin of the other"), 10, 2,
            tr(" s"), [seam] { return seam().search_s; },
            [this](JoinPlan& plan, double v) {
                if (Seam* of = seam_of(plan)) of->search_s = v;
            }));

    return fields;
}

QLayout* JoinPage::make_row_fields() {
    auto* fields = new Flow(6);
    const Adder add{*fields};
    fields->addWidget(word(tr("hold the first pose"), of_row_));
    add(of_row_, number(
                     tr("first pose held"), tr("The first pose stands so long"), 600, 2, tr(" s"),
                     [this] { return desk_.plan().pad_first_s; },
                     [](JoinPlan& plan, double v) { plan.pad_first_s = v; }));
    fields->addWidget(word(tr("the last"), of_row_));
    add(of_row_, number(
                     tr("last pose held"), tr("The last pose stands so long"), 600, 2, tr(" s"),
                     [this] { return desk_.plan().pad_last_s; },
                     [](JoinPlan& plan, double v) { plan.pad_last_s = v; }));
    fields->add_gap();
    fields->addWidget(told_);
    return fields;
}

void JoinPage::refresh() {
    is_filling_ = true;
    const JoinPlan& plan = desk_.plan();
    for (const auto& fill : fill_) fill();
    for (QWidget* one : of_clip_) one->setVisible(strip_->clip() >= 0);
    for (QWidget* one : of_seam_) one->setVisible(strip_->seam() >= 0);
    for (QWidget* one : of_row_) one->setVisible(!plan.clips.empty());
    if (const int at = strip_->seam(); at >= 0) {
        const QString role = QString::fromStdString(plan.seams[size_t(at)].point);
        if (meets_->findData(role) < 0) meets_->addItem(meeting_word(role.toStdString()), role);
        meets_->setCurrentIndex(meets_->findData(role));
    }
    const QString name = QString::fromStdString(plan.name);
    if (name_->text() != name) {
        name_->setText(name);
        name_->setCursorPosition(0);
    }
    kept_->clear();
    kept_->addItem(desk_.kept().empty() ? tr("no plan is kept yet") : tr("take up a plan …"));
    kept_->setEnabled(!desk_.kept().empty());
    for (const KeptJoin& one : desk_.kept()) kept_->addItem(QString::fromStdString(one.plan.name));
    keep_->setEnabled(!plan.clips.empty() && !desk_.is_as_kept());
    const Joined* joined = desk_.joined();
    const bool is_whole = joined && !desk_.is_joining() && desk_.trouble().isEmpty();
    make_->setEnabled(is_whole && plan.clips.size() > 1);
    told_->setText(
        !is_whole ? QString()
                  : tr("%1 s on %2")
                        .arg(joined->motion.motion.frames * joined->motion.motion.frame_time_s, 0, 'f', 1)
                        .arg(QString::fromStdString(plan.character)));
    is_filling_ = false;
}

}  // namespace nb
