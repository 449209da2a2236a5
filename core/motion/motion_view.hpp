// A motion seen frame by frame, wherever it is kept: what writers take, so that a long take is not copied.
#pragma once
#include "core/motion/take.hpp"

namespace nb {

class MotionView {
  public:
    /// `about`: frames, joints, translated joints, name and times; its own rotations may be empty. It must
    /// outlive the view.
    explicit MotionView(const Take& about) : about_(about) {}
    virtual ~MotionView() = default;
    MotionView(const MotionView&) = delete;
    MotionView& operator=(const MotionView&) = delete;

    const Take& about() const { return about_; }
    virtual Quat rotation(int frame, int joint) const = 0;             ///< R_PJ
    virtual Vec3 translation(int frame, size_t translated) const = 0;  ///< p_PJ, m, by place in `translated`
    /// Frames first up to, not including, last, as a take of their own.
    Take part(int first, int last) const {
        Take take;
        take.name = about_.name;
        take.frame_time_text = about_.frame_time_text;
        take.frame_time_s = about_.frame_time_s;
        take.frames = last - first;
        take.joints = about_.joints;
        take.translated = about_.translated;
        std::vector<Quat>& R = take.R.edit();
        std::vector<Vec3>& p = take.p.edit();
        R.reserve(size_t(take.frames) * size_t(take.joints));
        p.reserve(size_t(take.frames) * take.translated.size());
        for (int f = first; f < last; ++f) {
            for (int j = 0; j < take.joints; ++j) R.push_back(rotation(f, j));
            for (size_t m = 0; m < take.translated.size(); ++m) p.push_back(translation(f, m));
        }
        return take;
    }

  private:
    const Take& about_;
};

/// Of a take.
class TakeView : public MotionView {
  public:
    explicit TakeView(const Take& take) : MotionView(take) {}
    Quat rotation(int frame, int joint) const override { return about().rotations(frame)[size_t(joint)]; }
    Vec3 translation(int frame, size_t translated) const override {
        return about().translations(frame)[translated];
    }
};

}  // namespace nb
