// A small stage in the dock: the take under the pointer, moving on the chosen body.
#pragma once
#include <QTimer>

#include "app/look/drawing.hpp"
#include "app/work/take_clip.hpp"
#include "app/work/workspace.hpp"

namespace nb {

class TakePreview : public Drawing {
    Q_OBJECT

  public:
    explicit TakePreview(Workspace& workspace, QWidget* parent = nullptr);
    /// A take by its place in the workspace's list; the target that is chosen. -1: nothing is shown any more.
    void show_take(int take);
    TakeClips& clips() { return clips_; }
    /// What is shown; null while it is made.
    const TakeClip* clip() const { return clip_.get(); }
    int picture() const { return picture_; }
    QSize sizeHint() const override { return scaled(QSize{280, 132}); }
    QSize minimumSizeHint() const override { return scaled(QSize{100, 96}); }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Workspace& workspace_;
    TakeClips clips_;
    std::shared_ptr<const TakeClip> clip_;
    QString words_;
    int take_ = -1, picture_ = 0;
    QTimer next_;
};

}  // namespace nb
