#include "app/stations/chains/chain_ruler.hpp"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "app/look/labels.hpp"
#include "app/look/look.hpp"
#include "app/stations/roles/rails_view.hpp"

namespace nb {

namespace {

constexpr int head_px = 22;
constexpr int row_px = 54;
constexpr int name_px = 128;
constexpr int right_px = 132;
constexpr int bar_px = 14;
constexpr int reach_px = 7;

}  // namespace

ChainRuler::ChainRuler(QWidget* parent) : Drawing(parent) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Chain ruler"));
}

void ChainRuler::set_rows(std::vector<Row> rows) {
    rows_ = std::move(rows);
    if (row_of(chosen_) < 0)
        chosen_ = rows_.empty() ? QString() : QString::fromStdString(rows_[0].chain.name);
    scroll_to(first_);
    update();
}

int ChainRuler::row_of(const QString& chain) const {
    for (int i = 0; i < int(rows_.size()); ++i)
        if (rows_[size_t(i)].chain.name == chain.toStdString()) return i;
    return -1;
}

int ChainRuler::shown_rows() const {
    return std::max(1, (drawn_height() - head_px) / row_px);
}

void ChainRuler::scroll_to(int first) {
    first_ = std::clamp(first, 0, std::max(0, int(rows_.size()) - shown_rows()));
    update();
}

void ChainRuler::choose(const QString& chain) {
    const int row = row_of(chain);
    if (row < 0) return;
    chosen_ = chain;
    if (row < first_) scroll_to(row);
    if (row >= first_ + shown_rows()) scroll_to(row - shown_rows() + 1);
    update();
}

double ChainRuler::px_per_m() const {
    double longest = 0.2;
    for (const Row& row : rows_)
        longest = std::max({longest, row.chain.S_length_m(), row.chain.T_length_m()});
    return std::max(80.0, double(drawn_width() - name_px - right_px)) / longest;
}

double ChainRuler::end_x(int row, bool of_target, int bone) const {
    const MatchedChain& chain = rows_[size_t(row)].chain;
    const auto& lengths = of_target ? chain.T_lengths_m : chain.S_lengths_m;
    double sum = 0.0;
    for (int i = 0; i <= bone && i < int(lengths.size()); ++i) sum += lengths[size_t(i)];
    return name_px + px_per_m() * sum;
}

QRectF ChainRuler::bar_of(int row, bool of_target, int bone) const {
    const double top = head_px + (row - first_) * row_px + 3 + (of_target ? bar_px + 15 : 0);
    const double left = bone == 0 ? double(name_px) : end_x(row, of_target, bone - 1);
    return {left, top, std::max(1.0, end_x(row, of_target, bone) - left), double(bar_px)};
}

QPointF ChainRuler::end_of(const QString& chain, bool of_target, int bone) const {
    const int row = row_of(chain);
    if (row < first_ || row >= first_ + shown_rows()) return {};
    const QRectF bar = bar_of(row, of_target, bone);
    return {bar.right(), bar.center().y()};
}

int ChainRuler::row_at(const QPointF& at) const {
    if (at.y() < head_px) return -1;
    const int row = first_ + int((at.y() - head_px) / row_px);
    return row < int(rows_.size()) && row < first_ + shown_rows() ? row : -1;
}

int ChainRuler::source_end_near(int row, const QPointF& at) const {
    const auto& joints = rows_[size_t(row)].chain.S_joints;
    int best = -1;
    double best_px = 16.0;
    for (int i = 0; i < int(joints.size()); ++i)
        if (const double off = std::abs(end_x(row, false, i) - at.x()); off < best_px) {
            best = i;
            best_px = off;
        }
    return best;
}

void ChainRuler::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    const QFont small = letters(11);
    painter.setPen(look().dim);
    painter.setFont(small);
    const QRectF head(12, 2, drawn_width() - 24, head_px - 2);
    const QString place = int(rows_.size()) > shown_rows()
                              ? tr("%1 to %2 of %3")
                                    .arg(first_ + 1)
                                    .arg(std::min(int(rows_.size()), first_ + shown_rows()))
                                    .arg(rows_.size())
                              : QString();
    painter.drawText(head, Qt::AlignRight | Qt::AlignVCenter, place);
    // As many words as there is room for.
    const QFontMetricsF metrics(small);
    const double room = head.width() - metrics.horizontalAdvance(place) - 16;
    QString hint = rows_.empty() ? tr("Chains show once there are a take and a target with roles.")
                                 : tr("to one scale · a ribbon: what drives what · drag a joint of the lower "
                                      "bar onto one of the upper to match them");
    if (metrics.horizontalAdvance(hint) > room && !rows_.empty())
        hint = tr("to one scale · drag a lower joint onto an upper one");
    painter.drawText(head, Qt::AlignLeft | Qt::AlignVCenter, metrics.elidedText(hint, Qt::ElideRight, room));
    const QFont tiny = letters(10);
    for (int r = first_; r < std::min(int(rows_.size()), first_ + shown_rows()); ++r) {
        const Row& row = rows_[size_t(r)];
        const MatchedChain& chain = row.chain;
        const double top = head_px + (r - first_) * row_px;
        const bool is_chosen = chosen_ == QString::fromStdString(chain.name);
        if (is_chosen) {
            painter.setPen(Qt::NoPen);
            painter.fillRect(QRectF(0, top, drawn_width(), row_px - 3), look().raised);
            painter.fillRect(QRectF(4, top + 4, 2.5, row_px - 11), look().mark);
        }
        painter.setFont(letters());
        painter.setPen(look().text);
        painter.drawText(QRectF(12, top + 3, name_px - 16, 18), Qt::AlignLeft | Qt::AlignVCenter,
                         side_and_role(chain.name));
        painter.setFont(small);
        painter.setPen(look().dim);
        painter.drawText(QRectF(12, top + 22, name_px - 16, 16), Qt::AlignLeft | Qt::AlignVCenter,
                         chain.is_left_out ? tr("left out") : row.carry);
        // Ribbons: a source bone's stretch, and the same stretch of the target between the ticks.
        if (!chain.is_left_out && !chain.samples.empty() && !chain.S_joints.empty()) {
            std::vector<std::pair<double, double>> knots{{double(name_px), double(name_px)}};
            for (const ChainTick& tick : chain.ticks)
                knots.emplace_back(end_x(r, false, tick.first), end_x(r, true, tick.second));
            const auto below = [&](double x) {
                size_t k = 1;
                while (k + 1 < knots.size() && knots[k].first < x) ++k;
                if (knots.size() < 2) return x;
                const double wide = knots[k].first - knots[k - 1].first;
                const double u = wide > 1e-6 ? std::clamp((x - knots[k - 1].first) / wide, 0.0, 1.0) : 1.0;
                return knots[k - 1].second + u * (knots[k].second - knots[k - 1].second);
            };
            for (int i = 0; i < int(chain.S_joints.size()); ++i) {
                const QRectF bar = bar_of(r, false, i);
                const bool is_matched =
                    !chain.is_limb || std::any_of(chain.ticks.begin(), chain.ticks.end(),
                                                  [i](const ChainTick& tick) { return tick.first == i; });
                if (!is_matched) continue;
                QPainterPath path(QPointF(bar.left(), bar.bottom()));
                path.lineTo(bar.right(), bar.bottom());
                path.lineTo(below(bar.right()), bar.bottom() + 15);
                path.lineTo(below(bar.left()), bar.bottom() + 15);
                path.closeSubpath();
                QColor tone = look().mark;
                tone.setAlphaF(i % 2 ? 0.10f : 0.19f);
                painter.fillPath(path, tone);
            }
        }
        for (const bool of_target : {false, true}) {
            const auto& joints = of_target ? chain.T_joints : chain.S_joints;
            const auto& names = of_target ? row.T_names : row.S_names;
            for (int i = 0; i < int(joints.size()); ++i) {
                const QRectF bar = bar_of(r, of_target, i).adjusted(0.5, 0, -1, 0);
                QColor tone = of_target ? look().target : look().source;
                tone.setAlphaF(chain.is_left_out ? 0.25f : i % 2 ? 0.62f : 0.88f);
                painter.setPen(Qt::NoPen);
                painter.setBrush(tone);
                painter.drawRoundedRect(bar, 2, 2);
                if (is_chosen && hasFocus() && i == walked_ && of_target == walks_target(r)) {
                    painter.setPen(QPen(look().mark, 2));
                    painter.setBrush(Qt::NoBrush);
                    painter.drawRoundedRect(bar.adjusted(-1, -1, 1, 1), 2, 2);
                }
                painter.setFont(tiny);
                painter.setPen(look().ground);
                const QString name = names[size_t(i)];
                if (painter.fontMetrics().horizontalAdvance(name) < bar.width() - 8)
                    painter.drawText(bar.adjusted(4, 0, -3, 0), Qt::AlignLeft | Qt::AlignVCenter, name);
            }
            if (joints.empty()) {
                painter.setFont(small);
                painter.setPen(look().dim);
                painter.drawText(QRectF(name_px, bar_of(r, of_target, 0).top(), 260, bar_px),
                                 Qt::AlignLeft | Qt::AlignVCenter,
                                 tr("none here: the bones keep their rest"));
                continue;
            }
            painter.setFont(small);
            painter.setPen(look().text);
            const double cm = 100.0 * (of_target ? chain.T_length_m() : chain.S_length_m());
            QString text = tr("%1 cm").arg(cm, 0, 'f', 1);
            if (of_target && chain.S_length_m() > 1e-6)
                text += QString::fromUtf8("  ×%1").arg(chain.T_length_m() / chain.S_length_m(), 0, 'f', 2);
            painter.drawText(
                QRectF(drawn_width() - right_px + 8, bar_of(r, of_target, 0).top(), right_px - 12, bar_px),
                Qt::AlignLeft | Qt::AlignVCenter, text);
        }
        // Ticks by hand: a joint line across the ribbon.
        if (!chain.is_limb) {
            painter.setPen(QPen(look().mark, 1.4));
            for (const ChainTick& tick : chain.ticks)
                painter.drawLine(QPointF(end_x(r, false, tick.first) - 0.5, bar_of(r, false, 0).bottom()),
                                 QPointF(end_x(r, true, tick.second) - 0.5, bar_of(r, true, 0).top()));
        }
    }
    if (is_dragged_ && drag_row_ >= 0) {
        const QRectF bar = bar_of(drag_row_, true, drag_bone_);
        const int near = source_end_near(drag_row_, drag_at_);
        const QPointF to =
            near < 0 ? drag_at_
                     : QPointF(end_x(drag_row_, false, near), bar_of(drag_row_, false, near).bottom());
        painter.setPen(QPen(look().mark, 2, near < 0 ? Qt::DotLine : Qt::SolidLine));
        painter.drawLine(QPointF(bar.right() - 0.5, bar.top()), to);
    }
}

void ChainRuler::mousePressEvent(QMouseEvent* event) {
    const QPointF at = drawn_at(event->position());
    const int row = row_at(at);
    drag_row_ = -1;
    is_dragged_ = false;
    if (row < 0 || event->button() != Qt::LeftButton) return;
    const MatchedChain& chain = rows_[size_t(row)].chain;
    if (chosen_ != QString::fromStdString(chain.name)) {
        choose(QString::fromStdString(chain.name));
        emit chain_chosen(chosen_);
    }
    // The last joints are matched anyway.
    if (!chain.is_limb && !chain.S_joints.empty() && at.y() > bar_of(row, true, 0).top() - 4)
        for (int i = 0; i + 1 < int(chain.T_joints.size()); ++i)
            if (std::abs(end_x(row, true, i) - at.x()) <= reach_px) {
                drag_row_ = row;
                drag_bone_ = i;
                drag_at_ = at;
            }
    if (drag_row_ >= 0) return;
    if (const auto [of_target, bone] = bone_at(row, at); bone >= 0)
        emit bone_picked(of_target, (of_target ? chain.T_joints : chain.S_joints)[size_t(bone)]);
}

std::pair<bool, int> ChainRuler::bone_at(int row, const QPointF& at) const {
    const MatchedChain& chain = rows_[size_t(row)].chain;
    for (const bool of_target : {false, true})
        for (int i = 0; i < int((of_target ? chain.T_joints : chain.S_joints).size()); ++i)
            if (bar_of(row, of_target, i).contains(at)) return {of_target, i};
    return {false, -1};
}

void ChainRuler::contextMenuEvent(QContextMenuEvent* event) {
    const bool is_by_key = event->reason() == QContextMenuEvent::Keyboard;
    const int row = is_by_key ? row_of(chosen_) : row_at(drawn_at(event->pos()));
    if (row < 0 || rows_[size_t(row)].chain.is_limb) return;
    const QString name = QString::fromStdString(rows_[size_t(row)].chain.name);
    if (chosen_ != name) {
        choose(name);
        emit chain_chosen(name);
    }
    QMenu menu(this);
    const auto bone =
        is_by_key ? std::pair(walks_target(row), walked_) : bone_at(row, drawn_at(event->pos()));
    if (bone.second >= 0) {
        for (const bool is_first : {true, false})
            connect(menu.addAction(is_first ? tr("The run starts at this bone")
                                            : tr("The run ends at this bone")),
                    &QAction::triggered, this, [this, name, bone, is_first] {
                        emit end_wanted(name, bone.first, bone.second, is_first);
                    });
    }
    connect(menu.addAction(tr("The whole run")), &QAction::triggered, this,
            [this, name] { emit end_wanted(name, true, -1, true); });
    menu.exec(event->globalPos());
}

void ChainRuler::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = drawn_at(event->position());
    if (drag_row_ >= 0 && (event->buttons() & Qt::LeftButton)) {
        is_dragged_ |= (at - drag_at_).manhattanLength() > 4;
        drag_at_ = at;
        update();
        return;
    }
    const int row = row_at(at);
    bool is_joint = false;
    if (row >= 0 && !rows_[size_t(row)].chain.is_limb && at.y() > bar_of(row, true, 0).top() - 4)
        for (int i = 0; i + 1 < int(rows_[size_t(row)].chain.T_joints.size()); ++i)
            is_joint |= std::abs(end_x(row, true, i) - at.x()) <= reach_px;
    setCursor(is_joint ? Qt::SizeHorCursor : Qt::ArrowCursor);
}

void ChainRuler::mouseReleaseEvent(QMouseEvent* event) {
    if (is_dragged_ && drag_row_ >= 0)
        emit tick_moved(QString::fromStdString(rows_[size_t(drag_row_)].chain.name), drag_bone_,
                        source_end_near(drag_row_, drawn_at(event->position())));
    drag_row_ = -1;
    is_dragged_ = false;
    update();
}

void ChainRuler::wheelEvent(QWheelEvent* event) {
    scroll_to(first_ - (event->angleDelta().y() > 0 ? 1 : -1));
}

/// The arrows walk along the target's bones, and along the source's where the target has none.
bool ChainRuler::walks_target(int row) const {
    return !rows_[size_t(row)].chain.T_joints.empty();
}

void ChainRuler::walk(int by) {
    const int row = row_of(chosen_);
    if (row < 0) return;
    const MatchedChain& chain = rows_[size_t(row)].chain;
    const auto& joints = walks_target(row) ? chain.T_joints : chain.S_joints;
    if (joints.empty()) return;
    walked_ = std::clamp(walked_ + by, 0, int(joints.size()) - 1);
    update();
    emit bone_picked(walks_target(row), joints[size_t(walked_)]);
}

/// The end of the bone walked to is matched with the next joint of the source, or with the one before.
void ChainRuler::shift_match(int by) {
    const int row = row_of(chosen_);
    if (row < 0 || rows_[size_t(row)].chain.is_limb || !walks_target(row)) return;
    const MatchedChain& chain = rows_[size_t(row)].chain;
    const int last = int(chain.S_joints.size()) - 1;
    if (walked_ < 0 || walked_ + 1 >= int(chain.T_joints.size()) || last < 0) return;
    const auto tick = std::find_if(chain.ticks.begin(), chain.ticks.end(),
                                   [this](const ChainTick& one) { return one.second == walked_; });
    int now = -1;
    if (tick != chain.ticks.end())
        now = tick->first + by;
    else  // not matched yet: the joint of the source that lies nearest
        for (int i = 0; i <= last; ++i)
            if (now < 0 || std::abs(end_x(row, false, i) - end_x(row, true, walked_)) <
                               std::abs(end_x(row, false, now) - end_x(row, true, walked_)))
                now = i;
    emit tick_moved(chosen_, walked_, now > last ? -1 : now);
}

void ChainRuler::keyPressEvent(QKeyEvent* event) {
    const int key = event->key();
    const int along = key == Qt::Key_Right ? 1 : key == Qt::Key_Left ? -1 : 0;
    if (along != 0) return event->modifiers() & Qt::ShiftModifier ? shift_match(along) : walk(along);
    const int by = key == Qt::Key_Down ? 1 : key == Qt::Key_Up ? -1 : 0;
    if (by == 0 || rows_.empty()) return QWidget::keyPressEvent(event);
    const int row = std::clamp(row_of(chosen_) + by, 0, int(rows_.size()) - 1);
    choose(text_of(rows_[size_t(row)].chain.name));
    walked_ = -1;
    emit chain_chosen(chosen_);
}

bool ChainRuler::event(QEvent* event) {
    // On the ruler the arrows walk from chain to chain and from bone to bone, not from frame to frame.
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        const bool is_arrow = pressed->key() == Qt::Key_Left || pressed->key() == Qt::Key_Right ||
                              pressed->key() == Qt::Key_Up || pressed->key() == Qt::Key_Down;
        if (is_arrow && !(pressed->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier))) {
            event->accept();
            return true;
        }
    }
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int row = row_at(drawn_at(help->pos()));
        QString text = tr("Every chain of the target below what drives it, to one scale");
        if (row >= 0)
            for (const bool of_target : {false, true}) {
                const Row& r = rows_[size_t(row)];
                const auto& names = of_target ? r.T_names : r.S_names;
                for (int i = 0; i < int(names.size()); ++i)
                    if (bar_of(row, of_target, i).contains(drawn_at(help->pos())))
                        text = tr("%1: %2 cm")
                                   .arg(names[size_t(i)])
                                   .arg(100.0 * (of_target ? r.chain.T_lengths_m
                                                           : r.chain.S_lengths_m)[size_t(i)],
                                        0, 'f', 1);
            }
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return Drawing::event(event);
}

}  // namespace nb
