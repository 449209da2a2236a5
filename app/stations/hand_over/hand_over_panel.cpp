#include "app/stations/hand_over/hand_over_panel.hpp"

#include <QCheckBox>
#include <QComboBox>
#include <QDesktopServices>
#include <QFileDialog>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "app/work/shown_pair.hpp"
#include "core/handover/name_pattern.hpp"

namespace nb {

HandOverPanel::HandOverPanel(Workspace& workspace, Playback& playback, HandOverDesk& desk, QWidget* parent)
    : QWidget(parent), workspace_(workspace), playback_(playback), desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 14, 12);
    column->setSpacing(6);
    run_ = new QPushButton(this);
    run_->setObjectName("hand over");
    run_->setProperty("is_main", true);
    connect(run_, &QPushButton::clicked, this, [this] { desk_.hand_over(); });
    stop_ = word_button(tr("stop"), tr("What is written stays; nothing is half written"), this);
    connect(stop_, &QToolButton::clicked, this, [this] { desk_.cancel(); });
    page_ = new QPushButton(tr("open the report"), this);
    page_->setToolTip(tr("A page that can be read without the program"));
    connect(page_, &QPushButton::clicked, this,
            [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(desk_.report_page())); });
    auto* last_row = new Flow(6);
    for (QWidget* one : std::initializer_list<QWidget*>{run_, stop_, page_}) last_row->addWidget(one);
    column->addLayout(last_row);
    progress_ = new QProgressBar(this);
    progress_->setTextVisible(false);
    when_scaled(progress_, [this] { progress_->setFixedHeight(scaled(6)); });
    column->addWidget(progress_);
    column->addSpacing(4);
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(5);
    grid->setColumnStretch(1, 1);
    auto row = [&, at = 0](const QString& word, const std::vector<QWidget*>& fields) mutable {
        // Beside the first line of what follows.
        auto* label = dim_label(word, this);
        when_scaled(label, [label] { label->setContentsMargins(0, scaled(4), 0, 0); });
        grid->addWidget(label, at, 0, Qt::AlignTop);
        auto* flow = new Flow(6);
        for (QWidget* field : fields) flow->addWidget(field);
        grid->addLayout(flow, at++, 1);
    };

    // The order itself.
    QLineEdit* name = text(tr("name of the order"), tr("Under this name it is kept with the library"),
                           &HandOverOrder::name);
    kept_ = new QComboBox(this);
    kept_->setAccessibleName(tr("kept orders"));
    kept_->setToolTip(tr("Orders kept with the library"));
    keep_ = word_button(tr("keep"), tr("Keeps the order with the library, for next week and for everybody"),
                        this);
    connect(kept_, &QComboBox::activated, this, [this](int at) {
        if (!is_filling_ && at > 0) desk_.take_up(at - 1);
    });
    connect(keep_, &QToolButton::clicked, this, [this] { desk_.keep(); });
    row(tr("order"), {name, keep_});
    row({}, {kept_});

    // Which results.
    results_ = new QLabel(this);
    this_pair_ = word_button(tr("this pair"), tr("The shown take on the shown target"), this);
    connect(this_pair_, &QToolButton::clicked, this, [this] {
        if (const auto pair = shown_pair(workspace_))
            desk_.add_pairs({*pair});
        else
            emit desk_.failed(
                tr("An order names takes and characters of the library: take them in first, or write "
                   "this one alone with Ctrl+E."));
    });
    const auto many = [this](const QString& word, const QString& tip, HandOverDesk::Many of) {
        auto* button = word_button(word, tip, this);
        connect(button, &QToolButton::clicked, this, [this, of] { desk_.add_many(of); });
        return button;
    };
    row(tr("results"), {results_, this_pair_,
                        many(tr("all takes"), tr("Every take of the library on the shown target"),
                             HandOverDesk::Many::takes),
                        many(tr("all bodies"), tr("The shown take on every character of the library"),
                             HandOverDesk::Many::characters)});

    // Which frames.
    auto* first = number(
        tr("first frame"), tr("The first frame that is written"), 0, 1e7, 0, {},
        [](const HandOverOrder& o) { return o.first; },
        [](HandOverOrder& o, double v) {
            o.first = int(v);
            if (o.last != 0) o.last = std::max(o.last, o.first + 1);
        });
    auto* last = number(
        tr("last frame"), tr("Up to, not including, this frame; 0: to the end"), 0, 1e7, 0, {},
        [](const HandOverOrder& o) { return o.last; },
        [](HandOverOrder& o, double v) { o.last = v == 0.0 ? 0 : std::max(int(v), o.first + 1); });
    last->setSpecialValueText(tr("the end"));
    auto* range = word_button(tr("the range that plays"), tr("Just what plays now"), this);
    connect(range, &QToolButton::clicked, this, [this] {
        edit(-1, [this](HandOverOrder& o) {
            o.first = playback_.first();
            o.last = playback_.is_whole() ? 0 : playback_.last();
        });
    });
    row(tr("frames"), {first, last, range});
    auto* rate = number(
        tr("frame rate"), tr("Frames a second; the duration is kept"), 0, 1000, 3, tr(" /s"),
        [](const HandOverOrder& o) { return o.fps.value_or(0.0); },
        [](HandOverOrder& o, double v) {
            if (v < 0.1)
                o.fps.reset();
            else
                o.fps = v;
        });
    rate->setSpecialValueText(tr("the take's"));
    row(tr("rate"),
        {rate, tick(tr("stance first"), tr("One frame more at the beginning: the body in its aligned rest"),
                    &HandOverOrder::has_stance_first)});

    // What of them.
    std::vector<QWidget*> formats;
    for (const FileFormat& format : file_formats()) {
        const std::string ending = format.ending;
        formats.push_back(tick(
            QString::fromStdString(ending.substr(1)), QObject::tr(format.name),
            [ending](const HandOverOrder& o) {
                return std::find(o.formats.begin(), o.formats.end(), ending) != o.formats.end();
            },
            [ending](HandOverOrder& o, bool on) {
                std::erase(o.formats, ending);
                // In the order they are offered, at least one.
                std::vector<std::string> now;
                for (const FileFormat& one : file_formats())
                    if ((on && ending == one.ending) ||
                        std::find(o.formats.begin(), o.formats.end(), one.ending) != o.formats.end())
                        now.emplace_back(one.ending);
                if (now.empty()) now.push_back(ending);
                o.formats = now;
            }));
    }
    formats.push_back(tick(tr("motion alone"),
                           tr("Bones and their motion; mesh and materials stay behind (.glb)"),
                           &HandOverOrder::is_motion_alone));
    formats.push_back(tick(tr("props"),
                           tr("Things that go through the take, as further nodes (.glb, .bvh, .csv)"),
                           &HandOverOrder::has_props));
    formats.push_back(tick(tr("sound"), tr("The take's sound, cut to the result, as .wav beside"),
                           &HandOverOrder::has_sound));
    formats.push_back(tick(tr("in one file"),
                           tr("One .glb a character, an animation a take; {take} in the name is 'takes'"),
                           &HandOverOrder::is_together));
    row(tr("formats"), formats);

    // Where the travel goes.
    row(tr("travel"),
        {choice(
             tr("travel"), tr("What carries the body over the floor"),
             {tr("in the hips"), tr("on a root bone"), tr("left out: in place")},
             [](const HandOverOrder& o) { return int(o.travel.kind); },
             [](HandOverOrder& o, int at) { o.travel.kind = Travel::Kind(at); }),
         tick(
             tr("heading"), tr("The root turns with the body; else it keeps the first frame's heading"),
             [](const HandOverOrder& o) { return o.travel.has_heading; },
             [](HandOverOrder& o, bool on) { o.travel.has_heading = on; }),
         tick(
             tr("height"), tr("The root rises with jumps and steps"),
             [](const HandOverOrder& o) { return o.travel.has_height; },
             [](HandOverOrder& o, bool on) { o.travel.has_height = on; }),
         tick(tr("as a table beside"), tr("The track as .csv beside each file"),
              &HandOverOrder::has_track_file)});
    auto* calm = number(
        tr("calmed above"), tr("The track low-passed without phase; 0: raw"), 0, 30, 1, tr(" Hz"),
        [](const HandOverOrder& o) { return o.travel.cut_off_hz; },
        [](HandOverOrder& o, double v) { o.travel.cut_off_hz = v; });
    calm->setSpecialValueText(tr("raw"));
    row(tr("track"), {calm, tick(
                                tr("begin over the origin"),
                                tr("The take is moved and turned so that it begins over "
                                   "the origin, facing +Z"),
                                [](const HandOverOrder& o) { return o.placement.starts_at_origin; },
                                [](HandOverOrder& o, bool on) { o.placement.starts_at_origin = on; })});

    // How many keys.
    const auto tolerance = [](HandOverOrder& o) -> KeyTolerance& {
        if (!o.reduce) o.reduce = KeyTolerance{};
        return *o.reduce;
    };
    row(tr("keys"),
        {choice(
             tr("keys"),
             tr("A key a frame, or the fewest with which no joint errs by more; straight from key to key, "
                "or curved where that halves them (.glb, .vrma)"),
             {tr("every frame"), tr("the fewest, straight, within"), tr("the fewest, also curved, within")},
             [](const HandOverOrder& o) { return !o.reduce             ? 0
                                                 : o.reduce->may_curve ? 2
                                                                       : 1; },
             [tolerance](HandOverOrder& o, int at) {
                 if (at == 0)
                     o.reduce.reset();
                 else
                     tolerance(o).may_curve = at == 2;
             }),
         number(
             tr("place tolerance"), tr("Largest error of any joint's place"), 0.01, 100, 2, tr(" mm"),
             [](const HandOverOrder& o) { return 1e3 * o.reduce.value_or(KeyTolerance{}).place_m; },
             [tolerance](HandOverOrder& o, double v) { tolerance(o).place_m = 1e-3 * v; }),
         number(
             tr("turn tolerance"), tr("Largest error of any bone's turn"), 0.01, 20, 2,
             QString::fromUtf8("°"),
             [](const HandOverOrder& o) { return rad_to_deg(o.reduce.value_or(KeyTolerance{}).turn_rad); },
             [tolerance](HandOverOrder& o, double v) { tolerance(o).turn_rad = deg_to_rad(v); })});

    // For animators.
    auto* space = choice(
        tr("space of goals"), tr("What goals are seen from"),
        {tr("in the world"), tr("from the root"), tr("from the hips"), tr("from the chest")},
        [](const HandOverOrder& o) { return int(o.goals.value_or(GoalOptions{}).space); },
        [](HandOverOrder& o, int at) {
            if (!o.goals) o.goals = GoalOptions{};
            o.goals->space = GoalSpace(at);
        });
    row(tr("animators"),
        {tick(
             tr("goals"),
             tr("Where hips, hands, feet, elbows, knees and the look are, as nodes in a file of their own"),
             [](const HandOverOrder& o) { return o.goals.has_value(); },
             [](HandOverOrder& o, bool on) {
                 if (on)
                     o.goals = GoalOptions{};
                 else
                     o.goals.reset();
             }),
         space,
         tick(tr("controls"),
              tr("The character's control rig (controls.json beside its rig) with keys on its controls"),
              &HandOverOrder::has_controls)});

    // Names.
    QStringList words;
    for (const std::string& word : pattern_words()) words << "{" + QString::fromStdString(word) + "}";
    row(tr("name"), {text(tr("name pattern"), tr("Words in braces are filled in: %1").arg(words.join(" ")),
                          &HandOverOrder::pattern)});
    example_ = dim_label({}, this);
    example_->setObjectName("example");
    row({}, {example_});
    QLineEdit* folder = text(tr("folder"), tr("In the library, or anywhere"), &HandOverOrder::folder);
    auto* choose = word_button(tr("choose …"), tr("Another folder"), this);
    connect(choose, &QToolButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getExistingDirectory(this, tr("Hand over into"), desk_.folder());
        if (!chosen.isEmpty()) edit(-1, [&](HandOverOrder& o) { o.folder = chosen.toStdString(); });
    });
    row(tr("folder"), {folder, choose});
    row(tr("where a file is"), {choice(
                                   tr("where a file is there"), tr("Nothing is replaced unasked"),
                                   {tr("skip it"), tr("write beside, numbered"), tr("replace it")},
                                   [](const HandOverOrder& o) { return int(o.clash); },
                                   [](HandOverOrder& o, int at) { o.clash = Clash(at); })});
    column->addLayout(grid);
    column->addStretch();

    connect(&desk_, &HandOverDesk::changed, this, &HandOverPanel::refresh);
    connect(&desk_, &HandOverDesk::planned, this, &HandOverPanel::refresh);
    connect(&desk_, &HandOverDesk::progressed, this, [this](int done, int of, const QString&) {
        progress_->setRange(0, std::max(1, of));
        progress_->setValue(done);
        refresh();
    });
    connect(&workspace_, &Workspace::result_changed, this, &HandOverPanel::refresh);
    refresh();
}

void HandOverPanel::edit(int topic, const Edit& edit) {
    if (!is_filling_) desk_.change(tr("change the order"), topic, edit);
}

QCheckBox* HandOverPanel::tick(const QString& word, const QString& tip,
                               const std::function<bool(const HandOverOrder&)>& is,
                               const std::function<void(HandOverOrder&, bool)>& set) {
    auto* box = new QCheckBox(word, this);
    box->setToolTip(tip);
    connect(box, &QCheckBox::toggled, this,
            [this, set](bool on) { edit(-1, [&](HandOverOrder& order) { set(order, on); }); });
    fill_.emplace_back([box, is](const HandOverOrder& order) { box->setChecked(is(order)); });
    return box;
}

QCheckBox* HandOverPanel::tick(const QString& word, const QString& tip, bool HandOverOrder::*value) {
    return tick(
        word, tip, [value](const HandOverOrder& order) { return order.*value; },
        [value](HandOverOrder& order, bool on) { order.*value = on; });
}

QDoubleSpinBox* HandOverPanel::number(const QString& name, const QString& tip, double low, double high,
                                      int decimals, const QString& unit,
                                      const std::function<double(const HandOverOrder&)>& is,
                                      const std::function<void(HandOverOrder&, double)>& set) {
    auto* box = number_box(name, tip, low, high, decimals, unit, this);
    when_scaled(box, [box] { box->setFixedWidth(scaled(84)); });
    const int topic = ++topics_;
    connect(box, &QDoubleSpinBox::valueChanged, this, [this, set, topic](double value) {
        edit(topic, [&](HandOverOrder& order) { set(order, value); });
    });
    fill_.emplace_back([box, is](const HandOverOrder& order) { box->setValue(is(order)); });
    return box;
}

QComboBox* HandOverPanel::choice(const QString& name, const QString& tip, const QStringList& words,
                                 const std::function<int(const HandOverOrder&)>& is,
                                 const std::function<void(HandOverOrder&, int)>& set) {
    auto* box = new QComboBox(this);
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->addItems(words);
    connect(box, &QComboBox::activated, this,
            [this, set](int at) { edit(-1, [&](HandOverOrder& order) { set(order, at); }); });
    fill_.emplace_back([box, is](const HandOverOrder& order) { box->setCurrentIndex(is(order)); });
    return box;
}

QLineEdit* HandOverPanel::text(const QString& name, const QString& tip, std::string HandOverOrder::*value) {
    auto* line = new QLineEdit(this);
    line->setAccessibleName(name);
    line->setToolTip(tip);
    const int topic = ++topics_;
    connect(line, &QLineEdit::textEdited, this, [this, value, topic](const QString& now) {
        edit(topic, [&](HandOverOrder& order) { order.*value = now.toStdString(); });
    });
    fill_.emplace_back([line, value](const HandOverOrder& order) {
        const QString now = QString::fromStdString(order.*value);
        if (line->text() != now) line->setText(now);
    });
    return line;
}

void HandOverPanel::refresh() {
    is_filling_ = true;
    const HandOverOrder& order = desk_.order();
    for (const auto& fill : fill_) fill(order);
    kept_->clear();
    kept_->addItem(desk_.kept().empty() ? tr("none is kept yet") : tr("take up another one …"));
    kept_->setEnabled(!desk_.kept().empty());
    for (const KeptOrder& one : desk_.kept()) kept_->addItem(QString::fromStdString(one.order.name));
    keep_->setEnabled(!desk_.is_as_kept());
    results_->setText(order.pairs.size() == 1 ? tr("one result") : tr("%1 results").arg(order.pairs.size()));
    const auto named = std::find_if(desk_.rows().begin(), desk_.rows().end(),
                                    [](const HandOverRow& one) { return !one.name.empty(); });
    const auto wrong = std::find_if(desk_.rows().begin(), desk_.rows().end(), [](const HandOverRow& one) {
        return one.state == HandOverRow::State::twice || one.state == HandOverRow::State::refused;
    });
    example_->setText(wrong != desk_.rows().end()   ? QString::fromStdString(wrong->why)
                      : named != desk_.rows().end() ? QString::fromStdString(named->name)
                                                    : QString());
    run_->setText(desk_.is_running()      ? tr("handing over …")
                  : desk_.to_write() == 1 ? tr("hand over one file")
                                          : tr("hand over %1 files").arg(desk_.to_write()));
    run_->setEnabled(!desk_.is_running() && desk_.to_write() > 0);
    stop_->setVisible(desk_.is_running());
    progress_->setVisible(desk_.is_running());
    page_->setVisible(!desk_.report_page().isEmpty() && !desk_.is_running());
    is_filling_ = false;
}

}  // namespace nb
