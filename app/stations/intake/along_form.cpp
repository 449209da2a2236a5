#include "app/stations/intake/along_form.hpp"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/flow.hpp"
#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/look/number_box.hpp"
#include "core/intake/along.hpp"

namespace nb {

namespace {

QString part_word(const std::string& what) {
    if (what == "fingers.left") return QObject::tr("fingers L");
    if (what == "fingers.right") return QObject::tr("fingers R");
    return what == "face" ? QObject::tr("face") : QObject::tr("fingers");
}

}  // namespace

AlongForm::AlongForm(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* head = new Flow(6);
    const auto button = [&](const QString& text, const QString& tip, const QString& title,
                            const QString& kinds, void (AlongForm::*use)(const QString&)) {
        auto* made = word_button(text, tip, this);
        connect(made, &QToolButton::clicked, this, [this, title, kinds, use] {
            const QString folder = QFileInfo(QString::fromStdString(path_)).absolutePath();
            const QString file = QFileDialog::getOpenFileName(this, title, folder, kinds);
            if (!file.isEmpty()) (this->*use)(file);
        });
        head->addWidget(made);
    };
    button(tr("fingers or face \u2026"), tr("Captured along, in a file of its own: they go into this take"),
           tr("The file of the fingers or the face"), tr("motion (*.bvh *.glb *.gltf *.fbx *.dae)"),
           &AlongForm::add_part);
    button(tr("sound \u2026"), tr("Recorded along: drawn on the time line, heard while playing, handed over"),
           tr("The sound of this take"), tr("sound (*.wav *.flac *.ogg *.aiff)"), &AlongForm::set_sound);
    starts_at_ =
        seconds(tr("start on the clock of the shoot"),
                tr("When the file's first frame was, on the clock of the shoot; a trim counts on from it, "
                   "and the report of a hand over says it"),
                0.0);
    connect(starts_at_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
        change(tr("when the take starts"), [value](LoadOptions& options) { options.starts_at_s = value; });
    });
    head->addWidget(labelled(tr("its first frame was at"), starts_at_, this));
    column->addLayout(head);
    rows_ = new QVBoxLayout;
    rows_->setSpacing(4);
    column->addLayout(rows_);
}

QDoubleSpinBox* AlongForm::seconds(const QString& name, const QString& tip, double value) {
    auto* box = number_box(name, tip, -1e5, 1e6, 3, tr(" s"), this);
    box->setValue(value);
    when_scaled(box, [box] { box->setFixedWidth(scaled(78)); });
    return box;
}

void AlongForm::change(const QString& text, const std::function<void(LoadOptions&)>& edit) {
    if (is_filling_) return;
    LoadOptions now = options_;
    edit(now);
    if (now != options_) emit changed(now, text);
}

void AlongForm::add_part(const QString& file) {
    change(tr("a part that goes along"), [&](LoadOptions& options) {
        TakePart part;
        part.file = kept_along(path_, file.toStdString());
        options.along.push_back(part);
    });
}

void AlongForm::set_sound(const QString& file) {
    change(tr("the sound of the take"), [&](LoadOptions& options) {
        options.sound = {kept_along(path_, file.toStdString()), options.sound.offset_s};
    });
}

QWidget* AlongForm::row_of(const QString& file, QWidget* first, double offset_s, const QString& name,
                           const std::function<void(LoadOptions&, double)>& set_offset,
                           const std::function<void(LoadOptions&)>& take_out) {
    auto* row = new QWidget(rows_box_);
    auto* column = new QVBoxLayout(row);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    line->addWidget(first);
    line->addStretch(1);
    auto* offset =
        seconds(name, tr("So long after the body's first frame it begins; negative: before"), offset_s);
    connect(offset, &QDoubleSpinBox::valueChanged, this, [this, set_offset](double value) {
        change(tr("when it begins"), [&](LoadOptions& options) { set_offset(options, value); });
    });
    line->addWidget(offset);
    auto* out = new QToolButton(row);
    out->setObjectName("bare");
    out->setIcon(icon("x"));
    out->setToolTip(tr("It goes along no more; its file stays"));
    out->setAccessibleName(tr("without it"));
    out->setFocusPolicy(Qt::TabFocus);
    connect(out, &QToolButton::clicked, this, [this, take_out] { change(tr("without it"), take_out); });
    line->addWidget(out);
    column->addLayout(line);
    // A long name has a line of its own.
    QLabel* label = dim_label(QFileInfo(file).fileName(), row);
    label->setToolTip(file);
    column->addWidget(label);
    return row;
}

void AlongForm::show_take(const std::string& path, const LoadOptions& options) {
    path_ = path;
    options_ = options;
    fill();
}

void AlongForm::fill() {
    is_filling_ = true;
    starts_at_->setValue(options_.starts_at_s);
    // What a click of theirs leads here goes when it is over.
    if (rows_box_) rows_box_->deleteLater();
    rows_box_ = new QWidget(this);
    auto* rows = new QVBoxLayout(rows_box_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(4);
    for (size_t i = 0; i < options_.along.size(); ++i) {
        const TakePart& part = options_.along[i];
        auto* what = new QComboBox(rows_box_);
        what->setAccessibleName(tr("what goes along"));
        for (const std::string& word : along_parts())
            what->addItem(part_word(word), QString::fromStdString(word));
        what->setCurrentIndex(what->findData(QString::fromStdString(part.what)));
        connect(what, &QComboBox::activated, this, [this, what, i] {
            change(tr("what goes along"), [&](LoadOptions& options) {
                options.along[i].what = what->currentData().toString().toStdString();
            });
        });
        rows->addWidget(row_of(
            QString::fromStdString(part.file), what, part.offset_s, tr("begin of what goes along"),
            [i](LoadOptions& options, double value) { options.along[i].offset_s = value; },
            [i](LoadOptions& options) { options.along.erase(options.along.begin() + std::ptrdiff_t(i)); }));
    }
    if (!options_.sound.file.empty())
        rows->addWidget(row_of(
            QString::fromStdString(options_.sound.file), new QLabel(tr("sound"), rows_box_),
            options_.sound.offset_s, tr("begin of the sound"),
            [](LoadOptions& options, double value) { options.sound.offset_s = value; },
            [](LoadOptions& options) { options.sound = {}; }));
    rows_->addWidget(rows_box_);
    rows_box_->setVisible(!options_.along.empty() || !options_.sound.file.empty());
    is_filling_ = false;
}

}  // namespace nb
