#include "app/work/take_clip.hpp"

#include <algorithm>
#include <cmath>

namespace nb {

namespace {

constexpr size_t held_files = 8;

TakeClip clip_of(const Handed& handed) {
    TakeClip clip;
    const Skeleton& skeleton = handed.character.rig.skeleton;
    const WorldMotion& motion = handed.motion;
    const int joints = std::min(motion.joints, skeleton.size());
    const int hips = handed.character.roles.joint("hips");
    for (int j = 0; j < joints; ++j)
        if (const int parent = skeleton.parents[size_t(j)];
            parent >= 0 && hips >= 0 && (j == hips || skeleton.is_ancestor(hips, j)) && j != hips)
            clip.bones.emplace_back(parent, j);
    double high = 0.5;
    for (int j = 0; j < joints; ++j) high = std::max(high, handed.character.rest.p_WJ0[size_t(j)].y());
    clip.height_m = high;
    const int pictures = std::min(int(TakeClip::most_s / TakeClip::picture_s),
                                  int(motion.frames * motion.frame_time_s / TakeClip::picture_s));
    for (int i = 0; i < std::max(1, pictures); ++i) {
        const int frame =
            std::min(motion.frames - 1, int(std::lround(i * TakeClip::picture_s / motion.frame_time_s)));
        const auto from = motion.p.begin() + std::ptrdiff_t(motion.at(frame, 0));
        clip.pictures.emplace_back(from, from + joints);
    }
    return clip;
}

}  // namespace

TakeClips::TakeClips(QObject* parent) : QObject(parent) {
    connect(&jobs_, &Jobs::failed, this, &TakeClips::failed);
}

TakeClips::~TakeClips() {
    nb::cancel(making_);
    jobs_.wait();
}

void TakeClips::forget() {
    files_ = std::make_shared<Files>();
}

void TakeClips::make(const QString& library_folder, const Choice& take, const Choice& target) {
    nb::cancel(making_);
    making_ = not_cancelled();
    jobs_.run(
        tr("Looking at %1").arg(take.name), making_,
        [take, target, files = files_, folder = library_folder.toStdString()](const auto&) {
            const std::lock_guard lock(files->mutex);
            if (!files->files)
                files->files = std::make_unique<LibraryFiles>(open_library(folder), held_files);
            TakeClip clip =
                clip_of(carry_pair(*files->files, {take.entry.toStdString(), target.entry.toStdString()}, 1));
            clip.take = take.name;
            clip.target = target.name;
            return std::make_shared<const TakeClip>(std::move(clip));
        },
        [this](std::shared_ptr<const TakeClip> clip) { emit made(std::move(clip)); });
}

}  // namespace nb
