#include "app/coverage/coverage_table.hpp"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "app/look/look.hpp"

namespace nb {

namespace {

constexpr double at_bar = 0.55;  // tone of a measure that is as large as its bar
constexpr int least_column = 30, most_column = 170, least_with_names = 84;

/// By its bar: dark well inside, light at twice the bar and beyond.
QColor tone_of(float share) {
    const double s = double(share);
    return look().measure(s <= 1.0 ? at_bar * s * s : std::min(1.0, 0.75 + 0.25 * (s - 1.0)));
}

QColor ink_on(const QColor& ground) {
    // The one of the look's two that stands off farther.
    const QColor &a = look().text, &b = look().ground;
    return std::abs(a.lightnessF() - ground.lightnessF()) > std::abs(b.lightnessF() - ground.lightnessF())
               ? a
               : b;
}

QString shown_of(const CoverageSide& side) {
    return QString::fromStdString(side.shown);
}

}  // namespace

CoverageTable::CoverageTable(QWidget* parent) : QAbstractScrollArea(parent) {
    setAccessibleName(tr("Coverage"));
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    viewport()->setMouseTracking(true);
    when_scaled(this, [this] { measure_out(); });
}

void CoverageTable::set_table(const Coverage* table) {
    std::optional<OrderedPair> picked;
    if (picked_ && table_ && picked_->take < table_->takes.size() &&
        picked_->character < table_->characters.size())
        picked = OrderedPair{table_->takes[picked_->take].name, table_->characters[picked_->character].name};
    table_ = table;
    hovered_.reset();
    picked_.reset();
    take_counts_.clear();
    character_counts_.clear();
    if (table_) {
        for (size_t t = 0; t < table_->takes.size(); ++t) take_counts_.push_back(table_->count_of_take(t));
        for (size_t c = 0; c < table_->characters.size(); ++c)
            character_counts_.push_back(table_->count_of_character(c));
        if (picked)
            for (size_t t = 0; t < table_->takes.size() && !picked_; ++t)
                for (size_t c = 0; c < table_->characters.size() && table_->takes[t].name == picked->take;
                     ++c)
                    if (table_->characters[c].name == picked->character) picked_ = Cell{t, c};
    }
    lay_out();
    emit picked_changed();
}

void CoverageTable::set_filter(const QString& text) {
    filter_ = text;
    lay_out();
}
void CoverageTable::set_sort(Sort sort) {
    sort_ = sort;
    lay_out();
}
void CoverageTable::set_group(Group group) {
    group_ = group;
    lay_out();
}
void CoverageTable::set_only(Only only) {
    only_ = only;
    lay_out();
}

bool CoverageTable::is_shown(const CoverageCell& cell) const {
    switch (only_) {
        case Only::all:
            return true;
        case Only::outside:
            return cell.is_outside() && !cell.is_accepted;
        case Only::stale:
            return cell.is_stale;
        case Only::failed:
            return cell.state == CoverageCell::State::failed;
        case Only::not_tried:
            return cell.state == CoverageCell::State::not_tried;
    }
    return true;
}

/// Which rows and columns there are, in which order.
void CoverageTable::lay_out() {
    rows_.clear();
    columns_.clear();
    group_names_.clear();
    if (table_) {
        const auto has = [&](const CoverageSide& side) {
            return QString::fromStdString(side.shown + " " + side.name + " " + side.tags + " " + side.family +
                                          " " + side.moves)
                .contains(filter_, Qt::CaseInsensitive);
        };
        std::vector<char> take_named, character_named;
        for (const CoverageSide& take : table_->takes) take_named.push_back(char(has(take)));
        for (const CoverageSide& character : table_->characters)
            character_named.push_back(char(has(character)));
        const auto any = [](const std::vector<char>& named) {
            return std::count(named.begin(), named.end(), 1) > 0;
        };
        // Words that are of takes filter takes, those of characters characters.
        if (!any(take_named) && any(character_named))
            std::fill(take_named.begin(), take_named.end(), 1);
        else if (!any(character_named))
            std::fill(character_named.begin(), character_named.end(), 1);
        for (size_t c = 0; c < table_->characters.size(); ++c)
            if (character_named[c]) columns_.push_back(int(c));
        for (size_t t = 0; t < table_->takes.size(); ++t)
            if (take_named[t] && std::any_of(columns_.begin(), columns_.end(), [&](int c) {
                    return is_shown(table_->at(t, size_t(c))) &&
                           (only_ != Only::not_tried || table_->fits(t, size_t(c)));
                }))
                rows_.push_back(int(t));
        if (sort_ == Sort::worst_first) {
            const auto worse = [](const std::vector<CoverageCount>& counts) {
                return [&counts](int a, int b) { return counts[size_t(a)].worst > counts[size_t(b)].worst; };
            };
            std::stable_sort(rows_.begin(), rows_.end(), worse(take_counts_));
            std::stable_sort(columns_.begin(), columns_.end(), worse(character_counts_));
        }
        // Members of a family stand beside each other, where the first of them stands.
        std::map<std::string, size_t> first;
        for (size_t i = 0; i < columns_.size(); ++i)
            first.try_emplace(table_->characters[size_t(columns_[i])].family, i);
        std::map<int, size_t> place;
        for (size_t i = 0; i < columns_.size(); ++i) {
            const std::string& family = table_->characters[size_t(columns_[i])].family;
            place[columns_[i]] = family.empty() ? i : first.at(family);
        }
        std::stable_sort(columns_.begin(), columns_.end(), [&](int a, int b) { return place[a] < place[b]; });
        if (group_ != Group::none) {
            std::map<QString, std::vector<int>> groups;
            for (const int t : rows_) {
                const CoverageSide& take = table_->takes[size_t(t)];
                const std::string& of = group_ == Group::plan    ? take.plan
                                        : group_ == Group::moves ? take.moves
                                                                 : take.tags;
                groups[!of.empty()              ? QString::fromStdString(of)
                       : group_ == Group::plan  ? tr("body not known")
                       : group_ == Group::moves ? tr("not looked into, or moves little")
                                                : tr("no tags")]
                    .push_back(t);
            }
            rows_.clear();
            for (const auto& [name, takes] : groups) {
                rows_.push_back(-1);
                group_names_.push_back(name);
                rows_.insert(rows_.end(), takes.begin(), takes.end());
            }
        }
    }
    measure_out();
}

void CoverageTable::measure_out() {
    const QFontMetrics letters(text_font(12));
    int names = scaled(90), widest = 0;
    if (table_) {
        for (const int t : rows_)
            if (t >= 0)
                names = std::max(names, letters.horizontalAdvance(shown_of(table_->takes[size_t(t)])));
        for (const int c : columns_)
            widest = std::max(widest, letters.horizontalAdvance(shown_of(table_->characters[size_t(c)])));
    }
    names_px_ = std::min(names, scaled(230)) + scaled(20);
    row_px_ = scaled(26);
    edge_px_ = scaled(96);
    const int room = viewport()->width() - names_px_ - edge_px_;
    const int count = std::max<int>(1, int(columns_.size()));
    column_px_ = std::clamp(room / count, scaled(least_column), scaled(most_column));
    is_narrow_ = widest + scaled(8) > column_px_ && column_px_ < scaled(least_with_names);
    head_px_ = is_narrow_ ? std::min(widest, scaled(120)) + scaled(14) : scaled(28);
    foot_px_ = scaled(26);
    const QRect cells = cells_rect();
    verticalScrollBar()->setRange(0, std::max(0, int(rows_.size()) * row_px_ - cells.height()));
    verticalScrollBar()->setPageStep(cells.height());
    verticalScrollBar()->setSingleStep(row_px_);
    horizontalScrollBar()->setRange(0, std::max(0, int(columns_.size()) * column_px_ - cells.width()));
    horizontalScrollBar()->setPageStep(cells.width());
    horizontalScrollBar()->setSingleStep(column_px_);
    viewport()->update();
}

QRect CoverageTable::cells_rect() const {
    const int width = std::min(viewport()->width() - names_px_ - edge_px_, int(columns_.size()) * column_px_);
    const int height = std::min(viewport()->height() - head_px_ - foot_px_, int(rows_.size()) * row_px_);
    return {names_px_, head_px_, std::max(0, width), std::max(0, height)};
}

int CoverageTable::row_of(size_t take) const {
    const auto found = std::find(rows_.begin(), rows_.end(), int(take));
    return found == rows_.end() ? -1 : int(found - rows_.begin());
}
int CoverageTable::column_of(size_t character) const {
    const auto found = std::find(columns_.begin(), columns_.end(), int(character));
    return found == columns_.end() ? -1 : int(found - columns_.begin());
}

QRect CoverageTable::rect_of(const Cell& cell) const {
    const int row = row_of(cell.take), column = column_of(cell.character);
    if (row < 0 || column < 0) return {};
    return {names_px_ + column * column_px_ - horizontalScrollBar()->value(),
            head_px_ + row * row_px_ - verticalScrollBar()->value(), column_px_, row_px_};
}

std::optional<CoverageTable::Cell> CoverageTable::cell_at(const QPoint& at) const {
    const QRect cells = cells_rect();
    if (!table_ || !cells.contains(at)) return {};
    const int row = (at.y() - cells.top() + verticalScrollBar()->value()) / row_px_;
    const int column = (at.x() - cells.left() + horizontalScrollBar()->value()) / column_px_;
    if (row < 0 || column < 0 || row >= int(rows_.size()) || column >= int(columns_.size()) ||
        rows_[size_t(row)] < 0)
        return {};
    return Cell{size_t(rows_[size_t(row)]), size_t(columns_[size_t(column)])};
}

void CoverageTable::draw_cell(QPainter& painter, const QRect& at, const Cell& place) const {
    const CoverageCell& cell = table_->at(place.take, place.character);
    const QRect box = at.adjusted(1, 1, -1, -1);
    const bool is_dimmed = !is_shown(cell);
    const bool has_room = column_px_ >= scaled(44);
    if (cell.state == CoverageCell::State::not_tried) {
        painter.setPen(QPen(look().line, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(0, 0, -1, -1));
        if (table_->fits(place.take, place.character) && column_px_ >= scaled(64)) {
            painter.setPen(look().dim);
            painter.drawText(box, Qt::AlignCenter, tr("not tried"));
        }
        return;
    }
    painter.save();
    if (is_dimmed) painter.setOpacity(0.25);
    const bool is_failed = cell.state == CoverageCell::State::failed;
    const QColor tone = is_failed ? look().ground : tone_of(cell.share);
    painter.fillRect(box, tone);
    if (cell.is_stale) painter.fillRect(box, QBrush(look().ground, Qt::BDiagPattern));
    if (is_failed) {
        painter.setPen(QPen(look().text, 1));
        painter.drawRect(box.adjusted(0, 0, -1, -1));
    }
    if (has_room) {
        painter.setPen(ink_on(tone));
        const QString text = is_failed             ? tr("failed")
                             : cell.share >= 10.0F ? tr("%1×").arg(double(cell.share), 0, 'f', 0)
                                                   : tr("%1 %").arg(std::lround(100.0 * double(cell.share)));
        if (cell.is_stale) {
            const QRect word = QFontMetrics(painter.font()).boundingRect(box, Qt::AlignCenter, text);
            painter.fillRect(word.adjusted(-3, 0, 3, 0), tone);
        }
        painter.drawText(box, Qt::AlignCenter, text);
    }
    // Attention is one shape.
    if ((cell.is_outside() || is_failed) && !cell.is_accepted) {
        const double side = text_scale() * 8.0;
        painter.setPen(Qt::NoPen);
        painter.setBrush(look().text);
        painter.drawPolygon(QPolygonF{QPointF(box.left(), box.top()), QPointF(box.left() + side, box.top()),
                                      QPointF(box.left(), box.top() + side)});
    }
    if (cell.is_accepted) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(ink_on(tone), 1.6));
        painter.drawRoundedRect(QRectF(box).adjusted(2.5, 2.5, -2.5, -2.5), 7, 7);
    }
    painter.restore();
}

void CoverageTable::paintEvent(QPaintEvent*) {
    QPainter painter(viewport());
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(viewport()->rect(), look().ground);
    painter.setFont(text_font(12));
    if (!table_ || rows_.empty() || columns_.empty()) {
        painter.setPen(look().dim);
        const bool is_filtered = table_ && !table_->cells.empty();
        painter.drawText(
            viewport()->rect(), Qt::AlignCenter,
            is_filtered ? tr("Nothing of the table is like that.")
                        : tr("A library with takes and characters is needed: open one beside the stage."));
        return;
    }
    const QRect cells = cells_rect();
    const int x0 = horizontalScrollBar()->value(), y0 = verticalScrollBar()->value();
    const int first_row = y0 / row_px_,
              last_row = std::min(int(rows_.size()), (y0 + cells.height()) / row_px_ + 1);
    const int first_column = x0 / column_px_,
              last_column = std::min(int(columns_.size()), (x0 + cells.width()) / column_px_ + 1);
    const auto group_at = [&](int row) {
        return group_names_[size_t(std::count(rows_.begin(), rows_.begin() + row, -1))];
    };
    // Cells.
    painter.setClipRect(cells);
    painter.setFont(text_font(11));
    for (int row = first_row; row < last_row; ++row) {
        if (rows_[size_t(row)] < 0) continue;
        for (int column = first_column; column < last_column; ++column)
            draw_cell(
                painter,
                {names_px_ + column * column_px_ - x0, head_px_ + row * row_px_ - y0, column_px_, row_px_},
                {size_t(rows_[size_t(row)]), size_t(columns_[size_t(column)])});
    }
    for (const auto& [cell, width] : {std::pair{hovered_, 1.0}, {picked_, 2.5}}) {
        if (!cell) continue;
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(look().text, width));
        painter.drawRect(QRectF(rect_of(*cell)).adjusted(0.5, 0.5, -0.5, -0.5));
    }
    // Names of takes, and what their rows come to.
    painter.setFont(text_font(12));
    painter.setClipRect(QRect(0, cells.top(), viewport()->width(), cells.height()));
    for (int row = first_row; row < last_row; ++row) {
        const QRect line(0, head_px_ + row * row_px_ - y0, viewport()->width(), row_px_);
        const int take = rows_[size_t(row)];
        if (take < 0) {
            painter.setPen(look().dim);
            painter.drawText(line.adjusted(scaled(10), 0, 0, 0), Qt::AlignVCenter, group_at(row));
            continue;
        }
        painter.setPen(look().text);
        painter.drawText(
            QRect(scaled(10), line.top(), names_px_ - scaled(16), row_px_), Qt::AlignVCenter,
            QFontMetrics(painter.font())
                .elidedText(shown_of(table_->takes[size_t(take)]), Qt::ElideRight, names_px_ - scaled(16)));
        const CoverageCount& count = take_counts_[size_t(take)];
        const int tried = count.works() + count.outside + count.failed + count.stale;
        painter.setPen(look().dim);
        painter.drawText(QRect(cells.right() + scaled(10), line.top(), edge_px_ - scaled(12), row_px_),
                         Qt::AlignVCenter,
                         tried ? tr("%1 of %2 work").arg(count.works()).arg(tried) : tr("-"));
    }
    // Names of characters, and what their columns come to.
    painter.setClipRect(QRect(cells.left(), 0, cells.width(), viewport()->height()));
    for (int column = first_column; column < last_column; ++column) {
        const size_t character = size_t(columns_[size_t(column)]);
        const int left = names_px_ + column * column_px_ - x0;
        const QString name = shown_of(table_->characters[character]);
        painter.setPen(look().text);
        if (is_narrow_) {
            painter.save();
            painter.translate(left + column_px_ / 2.0, head_px_ - scaled(6));
            painter.rotate(-90);
            painter.drawText(
                QRect(0, -row_px_ / 2, head_px_ - scaled(8), row_px_), Qt::AlignVCenter,
                QFontMetrics(painter.font()).elidedText(name, Qt::ElideRight, head_px_ - scaled(8)));
            painter.restore();
        } else {
            painter.drawText(
                QRect(left, 0, column_px_, head_px_), Qt::AlignCenter,
                QFontMetrics(painter.font()).elidedText(name, Qt::ElideRight, column_px_ - scaled(6)));
        }
        const CoverageCount& count = character_counts_[character];
        const int tried = count.works() + count.outside + count.failed + count.stale;
        painter.setPen(look().dim);
        painter.drawText(QRect(left, cells.bottom() + 1, column_px_, foot_px_), Qt::AlignCenter,
                         !tried       ? tr("-")
                         : is_narrow_ ? QString("%1").arg(count.works())
                                      : tr("%1 of %2").arg(count.works()).arg(tried));
    }
    painter.setClipping(false);
    painter.setPen(look().dim);
    painter.drawText(QRect(scaled(10), cells.bottom() + 1, names_px_ - scaled(16), foot_px_),
                     Qt::AlignVCenter, tr("work on it"));
}

void CoverageTable::resizeEvent(QResizeEvent*) {
    measure_out();
}

void CoverageTable::changeEvent(QEvent* event) {
    QAbstractScrollArea::changeEvent(event);
    if (event->type() == QEvent::PaletteChange) viewport()->update();
}

void CoverageTable::pick(const std::optional<Cell>& cell) {
    if (picked_ == cell) return;
    picked_ = cell;
    if (picked_) make_visible(*picked_);
    viewport()->update();
    emit picked_changed();
}

void CoverageTable::make_visible(const Cell& cell) {
    const QRect at = rect_of(cell), cells = cells_rect();
    if (at.isNull()) return;
    QScrollBar &down = *verticalScrollBar(), &across = *horizontalScrollBar();
    if (at.top() < cells.top()) down.setValue(down.value() - (cells.top() - at.top()));
    if (at.bottom() > cells.bottom()) down.setValue(down.value() + at.bottom() - cells.bottom());
    if (at.left() < cells.left()) across.setValue(across.value() - (cells.left() - at.left()));
    if (at.right() > cells.right()) across.setValue(across.value() + at.right() - cells.right());
}

void CoverageTable::mouseMoveEvent(QMouseEvent* event) {
    const auto cell = cell_at(event->position().toPoint());
    viewport()->setCursor(cell ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (cell == hovered_) return;
    hovered_ = cell;
    viewport()->update();
    emit hovered(cell.has_value(), cell ? cell->take : 0, cell ? cell->character : 0);
}

void CoverageTable::mousePressEvent(QMouseEvent* event) {
    const auto cell = cell_at(event->position().toPoint());
    if (!cell) return;
    pick(cell);
    if (event->button() == Qt::LeftButton) emit opened(cell->take, cell->character);
}

/// Its keys are its own while it has the keyboard.
bool CoverageTable::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* pressed = static_cast<QKeyEvent*>(event);
        for (const int key : {Qt::Key_Up, Qt::Key_Down, Qt::Key_Left, Qt::Key_Right, Qt::Key_PageUp,
                              Qt::Key_PageDown, Qt::Key_Return, Qt::Key_Enter})
            if (pressed->key() == key && pressed->modifiers() == Qt::NoModifier) event->accept();
    }
    return QAbstractScrollArea::event(event);
}

bool CoverageTable::viewportEvent(QEvent* event) {
    if (event->type() == QEvent::Leave && hovered_) {
        hovered_.reset();
        viewport()->update();
        emit hovered(false, 0, 0);
    }
    return QAbstractScrollArea::viewportEvent(event);
}

void CoverageTable::step(int rows, int columns) {
    if (rows_.empty() || columns_.empty()) return;
    int row = picked_ ? row_of(picked_->take) : -1, column = picked_ ? column_of(picked_->character) : -1;
    if (row < 0 || column < 0) {
        row = rows_.front() < 0 && rows_.size() > 1 ? 1 : 0;
        column = 0;
    } else {
        column = std::clamp(column + columns, 0, int(columns_.size()) - 1);
        int to = std::clamp(row + rows, 0, int(rows_.size()) - 1);
        // Over the names of groups.
        const int by = rows < 0 ? -1 : 1;
        while (to >= 0 && to < int(rows_.size()) && rows_[size_t(to)] < 0) to += by;
        if (to >= 0 && to < int(rows_.size())) row = to;
    }
    if (rows_[size_t(row)] >= 0) pick(Cell{size_t(rows_[size_t(row)]), size_t(columns_[size_t(column)])});
}

void CoverageTable::keyPressEvent(QKeyEvent* event) {
    const int page = std::max(1, cells_rect().height() / std::max(1, row_px_) - 1);
    switch (event->key()) {
        case Qt::Key_Up:
            return step(-1, 0);
        case Qt::Key_Down:
            return step(1, 0);
        case Qt::Key_Left:
            return step(0, -1);
        case Qt::Key_Right:
            return step(0, 1);
        case Qt::Key_PageUp:
            return step(-page, 0);
        case Qt::Key_PageDown:
            return step(page, 0);
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (picked_) emit opened(picked_->take, picked_->character);
            return;
        default:
            return QAbstractScrollArea::keyPressEvent(event);
    }
}

}  // namespace nb
