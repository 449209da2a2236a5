#include "app/dock/line_up.hpp"

#include <QApplication>
#include <QContextMenuEvent>
#include <QCryptographicHash>
#include <QDateTime>
#include <QDir>
#include <QDrag>
#include <QFileInfo>
#include <QHelpEvent>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>
#include <QSaveFile>
#include <QToolTip>
#include <QUrl>
#include <cmath>

#include "app/look/look.hpp"
#include "core/body/measures.hpp"
#include "core/intake/load.hpp"
#include "draw/portrait.hpp"

namespace nb {

namespace {
constexpr int portrait_px = 420;  // drawn at twice the size it is shown
constexpr int ruler_px = 34;

/// What a portrait is made from, so that a kept one is known to be still true.
QString portrait_mark(const Choice& choice) {
    QCryptographicHash hash(QCryptographicHash::Sha1);
    hash.addData("portrait 3");
    for (const QString& path : {choice.path, choice.document}) {
        QFile file(path);
        if (!path.isEmpty() && file.open(QIODevice::ReadOnly)) hash.addData(&file);
    }
    return QString::fromLatin1(hash.result().toHex());
}

QString portrait_path(const Choice& choice) {
    return choice.is_of_library ? QFileInfo(choice.path).dir().filePath("portrait.png") : QString();
}

}  // namespace

LineUp::LineUp(Workspace& workspace, QWidget* parent) : Drawing(parent), workspace_(workspace) {
    when_scaled(this, [this] { setMinimumHeight(scaled(218)); });
    setMouseTracking(true);
    setAccessibleName(tr("Characters"));
    pool_.setMaxThreadCount(1);
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        ask_for_portraits();
        update();
    });
    connect(&workspace_, &Workspace::target_changed, this, qOverload<>(&QWidget::update));
}

LineUp::~LineUp() {
    *cancelled_ = true;
    pool_.waitForDone();
}

void LineUp::set_filter(const QString& text) {
    filter_ = text.toLower();
    first_ = 0;
    update();
}

std::vector<int> LineUp::shown() const {
    std::vector<int> result;
    for (size_t i = 0; i < workspace_.targets().size(); ++i)
        if ((workspace_.targets()[i].name + " " + workspace_.targets()[i].family).toLower().contains(filter_))
            result.push_back(int(i));
    // Members of a family stand beside each other, where the first of them stands.
    std::map<QString, int> first;
    for (const int i : result) first.try_emplace(workspace_.targets()[size_t(i)].family, i);
    const auto place = [&](int i) {
        const QString& family = workspace_.targets()[size_t(i)].family;
        return family.isEmpty() ? i : first.at(family);
    };
    std::stable_sort(result.begin(), result.end(), [&](int a, int b) { return place(a) < place(b); });
    return result;
}

bool LineUp::has_portrait(int index) const {
    const auto at = portraits_.find(workspace_.targets()[size_t(index)].path);
    return at != portraits_.end() && !at->second.image.isNull();
}

/// Kept beside the rig; made anew when rig or roles have changed.
LineUp::Portrait LineUp::find_portrait(const Choice& choice) {
    Portrait portrait;
    const QString mark = portrait_mark(choice);
    const QString kept = portrait_path(choice);
    if (!kept.isEmpty()) {
        const QImage image(kept);
        if (!image.isNull() && image.text("made-from") == mark)
            return {image.convertToFormat(QImage::Format_RGBA8888_Premultiplied),
                    image.text("height-cm").toDouble(),
                    {}};
    }
    try {
        std::vector<std::string> notes;
        auto file = std::make_shared<const LoadedFile>(
            load_character(choice.path.toStdString(), choice.document.toStdString(), notes));
        portrait.height_cm = 100.0 * body_height(file->character.rig.skeleton, file->character.roles);
        const OffscreenContext context;
        Renderer renderer;
        const Picture picture = draw_portrait(renderer, file, portrait_px);
        portrait.image =
            QImage(picture.rgba.data(), picture.width, picture.height, QImage::Format_RGBA8888_Premultiplied)
                .copy();
    } catch (const std::exception& error) {
        portrait.trouble = QString::fromLocal8Bit(error.what());
        return portrait;
    }
    if (!kept.isEmpty()) {
        QImage keep = portrait.image;
        keep.setText("made-from", mark);
        keep.setText("height-cm", QString::number(portrait.height_cm, 'f', 1));
        // A folder that cannot be written keeps none; the next start draws it again.
        QSaveFile file(kept);
        if (file.open(QIODevice::WriteOnly) && keep.save(&file, "PNG")) file.commit();
    }
    return portrait;
}

void LineUp::ask_for_portraits() {
    for (const Choice& choice : workspace_.targets()) {
        // Asked again when rig or roles were written since.
        const QDateTime written =
            std::max(QFileInfo(choice.path).lastModified(),
                     choice.document.isEmpty() ? QDateTime() : QFileInfo(choice.document).lastModified());
        const auto [at, is_new] = asked_.try_emplace(choice.path, written);
        if (!is_new && at->second == written) continue;
        at->second = written;
        pool_.start([this, choice, cancelled = cancelled_] {
            if (*cancelled) return;
            const Portrait portrait = find_portrait(choice);
            if (*cancelled) return;
            QMetaObject::invokeMethod(this, [this, path = choice.path, portrait] {
                portraits_[path] = portrait;
                update();
            });
        });
    }
}

QRectF LineUp::column(int position) const {
    const int count = std::max(1, std::min(4, int(shown().size()) - first_));
    const double wide = (drawn_width() - ruler_px - 6.0) / std::max(3, count);
    return {ruler_px + wide * position, 6, wide, drawn_height() - 72.0};
}

int LineUp::index_at(const QPointF& at) const {
    const auto all = shown();
    for (int k = 0; k < 4 && first_ + k < int(all.size()); ++k)
        if (column(k).adjusted(0, 0, 0, 64).contains(at)) return all[size_t(first_) + size_t(k)];
    return -1;
}

QPoint LineUp::place_of(int index) const {
    const auto all = shown();
    const auto at = std::find(all.begin(), all.end(), index);
    const int position = int(at - all.begin()) - first_;
    return at == all.end() || position < 0 || position > 3 ? QPoint() : column(position).center().toPoint();
}

void LineUp::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter, false);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRectF first = column(0);
    const double floor = first.bottom();
    const double px_per_m = first.height() / portrait_span_m;
    const QFont small = letters(10);
    painter.setFont(small);
    for (int cm = 0; cm <= 200; cm += 50) {
        const double y = floor - px_per_m * cm / 100.0;
        painter.setPen(QPen(look().line, cm == 0 ? 2 : 1));
        painter.drawLine(QPointF(ruler_px - 4, y), QPointF(drawn_width() - 6, y));
        painter.setPen(look().dim);
        painter.drawText(QRectF(0, y - 8, ruler_px - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                         cm ? QString::number(cm) : tr("cm"));
    }
    const auto all = shown();
    if (all.empty()) {
        painter.drawText(drawn_rect(), Qt::AlignCenter, tr("nobody is called that"));
        return;
    }
    for (int k = 0; k < 4 && first_ + k < int(all.size()); ++k) {
        const int index = all[size_t(first_) + size_t(k)];
        const Choice& choice = workspace_.targets()[size_t(index)];
        const QRectF here = column(k);
        const bool is_target = index == workspace_.target_index();
        const auto at = portraits_.find(choice.path);
        if (at != portraits_.end() && !at->second.image.isNull()) {
            const double wide = here.height() / 2;
            painter.drawImage(QRectF(here.center().x() - wide / 2, here.top(), wide, here.height()),
                              at->second.image);
        } else {
            painter.setPen(look().dim);
            painter.drawText(here, Qt::AlignCenter | Qt::TextWordWrap,
                             at == portraits_.end() ? tr("…") : tr("no picture"));
        }
        painter.setPen(is_target ? look().target : look().text);
        const double height_cm = at == portraits_.end() ? 0.0 : at->second.height_cm;
        QString name = choice.name;
        if (name.startsWith("the ")) name = name.mid(4);
        // A name takes two lines at most.
        const QRectF under(here.left() + 1, floor + 5, here.width() - 2, 64);
        const auto words = Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap;
        for (const int size : {10, 9, 8}) {
            painter.setFont(letters(size));
            const QFontMetrics metrics = painter.fontMetrics();
            if (metrics.boundingRect(under.toRect(), words, name).height() <= 2 * metrics.lineSpacing() + 1)
                break;
        }
        if (height_cm > 0) name += QString("\n%1 cm").arg(std::lround(height_cm));
        painter.drawText(under, words, name);
        painter.setFont(small);
        if (is_target)
            painter.fillRect(QRectF(here.left() + 8, floor + 1, here.width() - 16, 2), look().target);
    }
    paint_families(painter, all);
    if (int(all.size()) > 4) {
        painter.setPen(look().dim);
        painter.drawText(QRectF(0, 0, drawn_width() - 8, 12), Qt::AlignRight,
                         tr("%1–%2 of %3 · the wheel shows more")
                             .arg(first_ + 1)
                             .arg(std::min(first_ + 4, int(all.size())))
                             .arg(all.size()));
    }
}

/// A bracket over those of one family that are seen, with its name.
void LineUp::paint_families(QPainter& painter, const std::vector<int>& all) const {
    painter.setFont(letters(9));
    const int seen = std::min(4, int(all.size()) - first_);
    for (int k = 0; k < seen;) {
        const QString& family = workspace_.targets()[size_t(all[size_t(first_) + size_t(k)])].family;
        int end = k + 1;
        while (end < seen && workspace_.targets()[size_t(all[size_t(first_) + size_t(end)])].family == family)
            ++end;
        if (!family.isEmpty()) {
            const double left = column(k).left() + 6, right = column(end - 1).right() - 6;
            const double y = drawn_height() - 14.0;
            painter.setPen(QPen(look().dim, 1));
            painter.drawPolyline(QPolygonF({{left, y - 4}, {left, y}, {right, y}, {right, y - 4}}));
            painter.drawText(QRectF(left, y, right - left, 14), Qt::AlignCenter, family);
        }
        k = end;
    }
}

void LineUp::mousePressEvent(QMouseEvent* event) {
    pressed_at_ = drawn_at(event->position());
    pressed_ = index_at(drawn_at(event->position()));
}

void LineUp::mouseMoveEvent(QMouseEvent* event) {
    setCursor(index_at(drawn_at(event->position())) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (pressed_ < 0 || pressed_ >= int(workspace_.targets().size()) || !(event->buttons() & Qt::LeftButton))
        return;
    if ((drawn_at(event->position()) - pressed_at_).manhattanLength() < QApplication::startDragDistance())
        return;
    const Choice& choice = workspace_.targets()[size_t(pressed_)];
    auto* drag = new QDrag(this);
    auto* mime = new QMimeData;
    mime->setUrls({QUrl::fromLocalFile(choice.path)});
    drag->setMimeData(mime);
    if (const auto at = portraits_.find(choice.path); at != portraits_.end())
        drag->setPixmap(QPixmap::fromImage(at->second.image.scaledToHeight(120, Qt::SmoothTransformation)));
    pressed_ = -1;
    drag->exec(Qt::CopyAction);
}

void LineUp::mouseReleaseEvent(QMouseEvent* event) {
    if (pressed_ >= 0 && index_at(drawn_at(event->position())) == pressed_)
        workspace_.choose_target(pressed_);
    pressed_ = -1;
}

void LineUp::contextMenuEvent(QContextMenuEvent* event) {
    const int index = index_at(drawn_at(event->pos()));
    if (index >= 0) emit menu_wanted(index, event->globalPos());
}

bool LineUp::event(QEvent* event) {
    if (event->type() == QEvent::Wheel) {
        const int most = std::max(0, int(shown().size()) - 4);
        first_ =
            std::clamp(first_ + (static_cast<QWheelEvent*>(event)->angleDelta().y() < 0 ? 1 : -1), 0, most);
        update();
        return true;
    }
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int index = index_at(drawn_at(help->pos()));
        if (index < 0) return true;
        const Choice& choice = workspace_.targets()[size_t(index)];
        const auto at = portraits_.find(choice.path);
        QString text = choice.name + "\n" + choice.path;
        if (at != portraits_.end() && !at->second.trouble.isEmpty()) text += "\n" + at->second.trouble;
        QToolTip::showText(help->globalPos(),
                           text + tr("\nClick, or drag onto the stage: it becomes the target"), this);
        return true;
    }
    return Drawing::event(event);
}

}  // namespace nb
