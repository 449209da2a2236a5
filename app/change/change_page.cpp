#include "app/change/change_page.hpp"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>
#include <array>
#include <cmath>

#include "app/look/labels.hpp"

namespace nb {

namespace {

constexpr double member_px = 26.0, members_head_px = 34.0, member_name_px = 170.0;
constexpr std::array<const char*, 4> family_parts{
    QT_TRANSLATE_NOOP("nb::ChangePage", "roles"), QT_TRANSLATE_NOOP("nb::ChangePage", "rest"),
    QT_TRANSLATE_NOOP("nb::ChangePage", "chains"), QT_TRANSLATE_NOOP("nb::ChangePage", "touch-ups")};
/// Which part of a characterization a word of `Merge` is of, as in `family_parts`.
size_t family_part_of(const std::string& word) {
    if (word.starts_with("role ")) return 0;
    if (word.starts_with("chain ")) return 2;
    return word.starts_with("touch-up ") ? 3 : 1;
}

}  // namespace

/// Metres to the drawing: both bodies on one floor, seen from the front.
struct RigsDrawing::View {
    Pose older, newer;
    Vec3 hips_older = Vec3::Zero(), hips_newer = Vec3::Zero();
    double px_per_m = 1.0;
    QPointF floor;  ///< below the hips
    QPointF of(const Pose& pose, const Vec3& hips, int joint) const {
        const Vec3 p = pose.p[size_t(joint)];
        return {floor.x() + px_per_m * (p.x() - hips.x()), floor.y() - px_per_m * p.y()};
    }
    QPointF of_older(int joint) const { return of(older, hips_older, joint); }
    QPointF of_newer(int joint) const { return of(newer, hips_newer, joint); }
};

void RigsDrawing::show(std::shared_ptr<const Renewal> renewal) {
    renewal_ = std::move(renewal);
    pointed_ = -1;
    update();
}

void RigsDrawing::point_at(int change) {
    pointed_ = change;
    update();
}

RigsDrawing::View RigsDrawing::view() const {
    View view;
    const Character &older = renewal_->older.character, &newer = renewal_->file.character;
    view.older = rest_pose(older.rig.skeleton);
    view.newer = rest_pose(newer.rig.skeleton);
    double low = 0.0, high = 0.5, wide = 0.5;
    const auto measure = [&](const Pose& pose, const Character& c, Vec3& hips) {
        const int joint = c.roles.joint("hips");
        if (joint >= 0) hips = pose.p[size_t(joint)];
        for (const Vec3& p : pose.p) {
            low = std::min(low, p.y());
            high = std::max(high, p.y());
            wide = std::max(wide, 2.0 * std::abs(p.x() - hips.x()));
        }
    };
    measure(view.older, older, view.hips_older);
    measure(view.newer, newer, view.hips_newer);
    constexpr double margin = 28.0;
    view.px_per_m =
        std::min((drawn_height() - 2 * margin) / (high - low), (drawn_width() - 2 * margin) / wide);
    view.floor = {0.5 * drawn_width(), drawn_height() - margin + view.px_per_m * low};
    return view;
}

QPointF RigsDrawing::place_of(int change) const {
    if (!renewal_ || change < 0 || change >= int(renewal_->comparison.changes.size())) return {};
    const RigChange& of = renewal_->comparison.changes[size_t(change)];
    const View seen = view();
    const Skeleton &before = renewal_->older.character.rig.skeleton,
                   &now = renewal_->file.character.rig.skeleton;
    const std::string& name = of.is == RigChange::Is::renamed ? of.now : of.bone;
    if (const int joint = now.find(name); joint >= 0 && of.is != RigChange::Is::gone)
        return seen.of_newer(joint);
    const int joint = before.find(of.bone);
    return joint >= 0 ? seen.of_older(joint) : QPointF();
}

void RigsDrawing::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    if (!renewal_) return;
    const View seen = view();
    painter.setPen(QPen(look().line, 1));
    painter.drawLine(QPointF(20, seen.floor.y()), QPointF(drawn_width() - 20, seen.floor.y()));
    const auto bones = [&](const Skeleton& skeleton, const QColor& colour, double width, auto place) {
        painter.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap));
        for (int j = 0; j < skeleton.size(); ++j)
            if (const int parent = skeleton.parents[size_t(j)]; parent >= 0)
                painter.drawLine(place(parent), place(j));
    };
    bones(renewal_->older.character.rig.skeleton, look().line, 9.0, [&](int j) { return seen.of_older(j); });
    bones(renewal_->file.character.rig.skeleton, look().target, 1.6, [&](int j) { return seen.of_newer(j); });
    // The one shape of attention.
    const auto notch = [&](const QPointF& at, double size) {
        painter.drawPolygon(
            QPolygonF({at + QPointF(4, 0), at + QPointF(4 + size, -size), at + QPointF(4 + size, size)}));
    };
    painter.setPen(Qt::NoPen);
    painter.setBrush(look().mark);
    const int count = int(renewal_->comparison.changes.size());
    for (int i = 0; i < count; ++i)
        if (const QPointF at = place_of(i); !at.isNull()) notch(at, i == pointed_ ? 9.0 : 4.0);
    painter.setPen(look().dim);
    painter.drawText(QRectF(20, 8, drawn_width() - 40, 18), Qt::AlignLeft, tr("broad: as it was"));
    painter.setPen(look().target);
    painter.drawText(QRectF(20, 8, drawn_width() - 40, 18), Qt::AlignRight,
                     tr("thin: as it is in the newer file"));
    if (const QPointF at = place_of(pointed_); !at.isNull()) {
        const RigChange& of = renewal_->comparison.changes[size_t(pointed_)];
        const QString name = text_of(of.is == RigChange::Is::renamed ? of.now : of.bone);
        const double wide = painter.fontMetrics().horizontalAdvance(name) + 10.0;
        const double left = std::min(at.x() + 16.0, drawn_width() - wide);
        painter.fillRect(QRectF(left, at.y() - 9, wide, 18), look().raised);
        painter.setPen(look().text);
        painter.drawText(QRectF(left, at.y() - 9, wide, 18), Qt::AlignCenter, name);
    }
}

MembersDrawing::MembersDrawing(QWidget* parent) : Drawing(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("What reaches whom"));
}

void MembersDrawing::show(std::shared_ptr<const FamilyChange> change) {
    change_ = std::move(change);
    picked_ = 0;
    setMinimumHeight(
        scaled(members_head_px + member_px * double(change_ ? change_->members.size() : 0) + 12));
    update();
}

void MembersDrawing::pick(int member) {
    if (!change_ || member < 0 || member >= int(change_->members.size())) return;
    picked_ = member;
    update();
    emit member_picked(member);
}

QSize MembersDrawing::sizeHint() const {
    return scaled(
        QSize{460, int(members_head_px + member_px * double(change_ ? change_->members.size() : 4))});
}

QRectF MembersDrawing::row(int member) const {
    return {8, members_head_px + member_px * member, drawn_width() - 16.0, member_px - 2};
}

void MembersDrawing::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    if (!change_) return;
    const double wide = (drawn_width() - member_name_px - 16.0) / double(family_parts.size());
    painter.setPen(look().dim);
    for (size_t p = 0; p < family_parts.size(); ++p)
        painter.drawText(QRectF(8 + member_name_px + wide * double(p), 8, wide, 20),
                         Qt::AlignLeft | Qt::AlignVCenter, tr(family_parts[p]));
    for (size_t m = 0; m < change_->members.size(); ++m) {
        const FamilyChange::Member& member = change_->members[m];
        const QRectF here = row(int(m));
        if (int(m) == picked_) painter.fillRect(here, look().raised);
        painter.setPen(member.trouble.empty() ? look().text : look().mark);
        painter.drawText(
            here.adjusted(6, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
            painter.fontMetrics().elidedText(text_of(member.name), Qt::ElideRight, int(member_name_px) - 12));
        std::array<int, 4> taken{}, own{};
        for (const std::string& word : member.merge.taken) ++taken[family_part_of(word)];
        for (const std::string& word : member.merge.own) ++own[family_part_of(word)];
        for (size_t p = 0; p < family_parts.size(); ++p) {
            const double left = 8 + member_name_px + wide * double(p), middle = here.center().y();
            QString words;
            if (!member.trouble.empty()) {
                if (p == 0) words = tr("left as it is");
            } else {
                // A filled dot takes the family's, a ring has its own.
                painter.setPen(Qt::NoPen);
                painter.setBrush(look().text);
                if (taken[p] > 0) painter.drawEllipse(QPointF(left + 5, middle), 4, 4);
                painter.setBrush(Qt::NoBrush);
                painter.setPen(QPen(look().text, 1.4));
                if (own[p] > 0) painter.drawEllipse(QPointF(left + (taken[p] > 0 ? 46 : 5), middle), 4, 4);
                if (taken[p] > 0) words = QString::number(taken[p]);
                if (own[p] > 0 && taken[p] > 0) {
                    painter.setPen(look().text);
                    painter.drawText(QRectF(left + 55, here.top(), wide - 55, here.height()),
                                     Qt::AlignLeft | Qt::AlignVCenter, QString::number(own[p]));
                } else if (own[p] > 0) {
                    words = QString::number(own[p]);
                } else if (taken[p] == 0) {
                    words = QString::fromUtf8("–");
                }
            }
            painter.setPen(words == QString::fromUtf8("–") ? look().dim : look().text);
            painter.drawText(QRectF(left + (member.trouble.empty() && taken[p] + own[p] > 0 ? 14 : 0),
                                    here.top(), 200, here.height()),
                             Qt::AlignLeft | Qt::AlignVCenter, words);
        }
    }
}

void MembersDrawing::mousePressEvent(QMouseEvent* event) {
    pick(int(std::floor((drawn_at(event->position()).y() - members_head_px) / member_px)));
}

void MembersDrawing::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Down)
        pick(picked_ + 1);
    else if (event->key() == Qt::Key_Up)
        pick(picked_ - 1);
    else
        Drawing::keyPressEvent(event);
}

ChangePage::ChangePage(CharacterDesk& desk, QWidget* parent) : QWidget(parent), desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 16, 12);
    column->setSpacing(8);
    auto* first = new QHBoxLayout;
    title_ = new QLabel(this);
    about_ = dim_label({}, this);
    leave_it_ = word_button(tr("leave it"), tr("Nothing is changed (Escape)"), this);
    take_in_ = word_button({}, tr("One step, undone by Ctrl+Z"), this);
    first->addWidget(title_);
    first->addSpacing(12);
    first->addWidget(about_, 1);
    first->addWidget(leave_it_);
    first->addWidget(take_in_);
    column->addLayout(first);
    parts_row_ = new QWidget(this);
    auto* parts = new QHBoxLayout(parts_row_);
    parts->setContentsMargins(0, 0, 0, 0);
    parts->addWidget(new QLabel(tr("give"), parts_row_));
    for (size_t p = 0; p < family_parts.size(); ++p) {
        parts_[p] = new QCheckBox(tr(family_parts[p]), parts_row_);
        parts->addWidget(parts_[p]);
        connect(parts_[p], &QCheckBox::clicked, this, [this] {
            desk_.set_parts({parts_[0]->isChecked(), parts_[1]->isChecked(), parts_[2]->isChecked(),
                             parts_[3]->isChecked()});
        });
    }
    parts->addSpacing(20);
    parts->addWidget(dim_label(tr("a dot takes the family's, a ring keeps its own"), parts_row_), 1);
    column->addWidget(parts_row_);
    auto* beside = new QHBoxLayout;
    rigs_ = new RigsDrawing(this);
    members_ = new MembersDrawing(this);
    lines_ = new QListWidget(this);
    lines_->setAccessibleName(tr("what changes"));
    lines_->setWordWrap(true);
    beside->addWidget(rigs_, 1);
    beside->addWidget(members_, 1, Qt::AlignTop);
    beside->addWidget(lines_, 1);
    column->addLayout(beside, 1);
    connect(take_in_, &QToolButton::clicked, &desk_, &CharacterDesk::take_in);
    connect(leave_it_, &QToolButton::clicked, &desk_, &CharacterDesk::let_go);
    connect(lines_, &QListWidget::currentItemChanged, this, [this](const QListWidgetItem* item) {
        rigs_->point_at(item ? item->data(Qt::UserRole).toInt() : -1);
    });
    connect(members_, &MembersDrawing::member_picked, this, &ChangePage::tell_member);
    connect(&desk_, &CharacterDesk::looked_at, this, &ChangePage::refresh);
}

void ChangePage::add_heading(const QString& text) {
    auto* item = new QListWidgetItem(text, lines_);
    QFont font = item->font();
    font.setBold(true);
    item->setFont(font);
    item->setFlags(Qt::ItemIsEnabled);
    item->setData(Qt::UserRole, -1);
}

void ChangePage::add_line(const QString& text, int change) {
    auto* item = new QListWidgetItem("   " + text, lines_);
    item->setData(Qt::UserRole, change);
}

void ChangePage::refresh() {
    const CharacterDesk::Looked* looked = desk_.looked();
    if (!looked) return;
    const bool is_newer = looked->kind == CharacterDesk::Looked::Kind::newer;
    const bool is_giving = looked->kind == CharacterDesk::Looked::Kind::giving;
    lines_->clear();
    rigs_->setVisible(is_newer);
    members_->setVisible(!is_newer);
    parts_row_->setVisible(is_giving);
    if (is_newer)
        tell_newer(*looked);
    else
        tell_members(*looked);
}

void ChangePage::tell_newer(const CharacterDesk::Looked& looked) {
    const Renewal& renewal = *looked.renewal;
    const RigComparison& found = renewal.comparison;
    title_->setText(tr("<b>A newer rig of %1</b>").arg(looked.character.name.toHtmlEscaped()));
    about_->setText(text_of(renewal.file.character.rig.path));
    take_in_->setText(tr("take it in"));
    take_in_->setEnabled(true);
    rigs_->show(looked.renewal);
    add_heading(tr("What is another"));
    if (found.is_same()) add_line(tr("nothing: the same skeleton and skin"));
    if (found.size != 1.0)
        add_line((found.is_unit ? tr("%1 times as large: another unit") : tr("%1 times as large"))
                     .arg(found.size, 0, 'g', 4));
    if (found.turned_deg != 0.0) add_line(tr("turned as a whole by %1°").arg(found.turned_deg, 0, 'f', 1));
    for (size_t i = 0; i < found.changes.size(); ++i) add_line(text_of(found.changes[i].text), int(i));
    if (!found.skin.empty()) add_line(text_of(found.skin));
    add_heading(tr("What goes along"));
    add_line(tr("%1 of %2 roles")
                 .arg(found.roles_kept.size())
                 .arg(found.roles_kept.size() + found.roles_lost.size()));
    for (const std::string& rest : found.rests)
        add_line(tr("the rest '%1', as turns beyond the T of each").arg(text_of(rest)));
    for (const std::string& chain : found.chains) add_line(tr("what is set for %1").arg(text_of(chain)));
    if (found.touch_ups > 0) add_line(tr("%n touch-up(s)", nullptr, found.touch_ups));
    for (const std::string& role : renewal.roles_new) add_line(tr("new by evidence: %1").arg(text_of(role)));
    if (!found.roles_lost.empty() || !found.chains_lost.empty()) {
        add_heading(tr("What does not"));
        for (const std::string& role : found.roles_lost)
            add_line(tr("%1 has no bone now").arg(text_of(role)));
        for (const std::string& chain : found.chains_lost)
            add_line(tr("ticks of %1 are on bones that are gone").arg(text_of(chain)));
    }
    add_heading(tr("What is stale then"));
    add_line(looked.stale > 0 ? tr("%n pair(s) that were tried", nullptr, looked.stale)
                              : tr("nothing: no pair with it was tried"));
    add_line(tr("the older rig stays with the character, under its versions"));
}

void ChangePage::tell_members(const CharacterDesk::Looked& looked) {
    const bool is_giving = looked.kind == CharacterDesk::Looked::Kind::giving;
    members_->show(looked.change);
    if (is_giving) {
        title_->setText(
            tr("<b>%1 gives the family '%2'</b>")
                .arg(looked.character.name.toHtmlEscaped(), text_of(looked.family.name).toHtmlEscaped()));
        about_->setText(tr("what the others have of their own stays"));
        take_in_->setText(tr("give it"));
        const std::array<bool, 4> on{looked.parts.roles, looked.parts.rest, looked.parts.chains,
                                     looked.parts.touches};
        for (size_t p = 0; p < on.size(); ++p) parts_[p]->setChecked(on[p]);
    } else {
        title_->setText(tr("<b>Rigs filled by the library's families and templates</b>"));
        about_->setText(tr("each by the one that fits it best; work by hand stays"));
        take_in_->setText(tr("fill them"));
    }
    take_in_->setEnabled(looked.change && !looked.change->documents.empty());
    tell_member(members_->picked());
}

void ChangePage::tell_member(int picked) {
    const CharacterDesk::Looked* looked = desk_.looked();
    if (!looked || !looked->change) return;
    lines_->clear();
    if (!looked->lines.empty()) {
        add_heading(tr("Which fits whom"));
        for (const std::string& line : looked->lines) add_line(text_of(line));
    }
    if (picked < 0 || picked >= int(looked->change->members.size())) return;
    const FamilyChange::Member& member = looked->change->members[size_t(picked)];
    add_heading(text_of(member.name));
    if (!member.trouble.empty()) add_line(tr("left as it is: %1").arg(text_of(member.trouble)));
    for (const std::string& part : member.merge.taken) add_line(tr("takes the %1").arg(text_of(part)));
    for (const std::string& part : member.merge.own) add_line(tr("keeps its own %1").arg(text_of(part)));
    if (member.trouble.empty() && member.merge.taken.empty() && member.merge.own.empty())
        add_line(tr("has all of it already"));
}

}  // namespace nb
