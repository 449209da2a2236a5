#include "app/dock/take_preview.hpp"

#include <QPainter>
#include <cmath>
#include <numbers>

namespace nb {

namespace {
constexpr double preview_yaw_rad = 0.6, preview_pitch_rad = 0.15;
}

TakePreview::TakePreview(Workspace& workspace, QWidget* parent) : Drawing(parent), workspace_(workspace) {
    setAccessibleName(tr("The take under the pointer, on the target"));
    next_.setInterval(int(1000.0 * TakeClip::picture_s));
    connect(&next_, &QTimer::timeout, this, [this] {
        if (!clip_ || !isVisible()) return;
        picture_ = (picture_ + 1) % int(clip_->pictures.size());
        update();
    });
    connect(&workspace_, &Workspace::choices_changed, this, [this] { clips_.forget(); });
    connect(&clips_, &TakeClips::made, this, [this](std::shared_ptr<const TakeClip> clip) {
        if (take_ < 0) return;
        clip_ = std::move(clip);
        picture_ = 0;
        words_ = tr("%1 on %2").arg(clip_->take, clip_->target);
        next_.start();
        update();
    });
    connect(&clips_, &TakeClips::failed, this, [this](const QString& line) {
        words_ = line;
        update();
    });
}

void TakePreview::show_take(int take) {
    if (take == take_) return;
    take_ = take;
    clip_.reset();
    next_.stop();
    clips_.stop();
    update();
    const int target = workspace_.target_index();
    if (take < 0 || take >= int(workspace_.takes().size())) return;
    const Choice& of = workspace_.takes()[size_t(take)];
    if (target < 0 || !of.is_of_library || !workspace_.targets()[size_t(target)].is_of_library) {
        words_ = tr("%1 · seen here once it and the target are in the library").arg(of.name);
        return;
    }
    words_ = tr("%1 …").arg(of.name);
    clips_.make(workspace_.library_folder(), of, workspace_.targets()[size_t(target)]);
}

void TakePreview::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    start(painter);
    painter.setFont(letters(10));
    painter.setPen(look().dim);
    painter.drawText(drawn_rect().adjusted(6, 3, -6, -3), Qt::AlignTop | Qt::AlignLeft | Qt::TextWordWrap,
                     words_);
    if (!clip_) return;
    const std::vector<Vec3>& p = clip_->pictures[size_t(picture_)];
    // The body stays in the middle; the floor runs under it.
    const Vec3 centre = p[size_t(clip_->bones.empty() ? 0 : clip_->bones.front().first)];
    const double px_per_m = (drawn_height() - 34.0) / (1.12 * clip_->height_m);
    const double cy = std::cos(preview_yaw_rad), sy = std::sin(preview_yaw_rad);
    const double low = [&] {
        double least = 1e30;
        for (const auto& [a, b] : clip_->bones) least = std::min({least, p[size_t(a)].y(), p[size_t(b)].y()});
        return std::min(0.0, least);
    }();
    const auto seen_at = [&](const Vec3& q) {
        const Vec3 d = q - centre;
        const double x = cy * d.x() - sy * d.z(), depth = sy * d.x() + cy * d.z();
        return QPointF(
            0.5 * drawn_width() + px_per_m * x,
            drawn_height() - 10.0 - px_per_m * ((q.y() - low) - depth * std::sin(preview_pitch_rad)));
    };
    painter.setPen(QPen(look().line, 1));
    for (int line = -6; line <= 6; ++line) {
        // Half-metre marks on the floor along the way the body goes.
        const double z = std::floor(centre.z() * 2.0) / 2.0 + 0.5 * line;
        painter.drawLine(seen_at(Vec3(centre.x() - 0.5, low, z)), seen_at(Vec3(centre.x() + 0.5, low, z)));
    }
    painter.setPen(QPen(look().target, 2.0, Qt::SolidLine, Qt::RoundCap));
    for (const auto& [a, b] : clip_->bones) painter.drawLine(seen_at(p[size_t(a)]), seen_at(p[size_t(b)]));
    // How far it is.
    painter.fillRect(QRectF(0, drawn_height() - 2.0,
                            drawn_width() * double(picture_ + 1) / double(clip_->pictures.size()), 2.0),
                     look().dim);
}

}  // namespace nb
