// A take on the chosen body as a little moving figure, made in the background: to be seen before it is opened. Knows no
// widgets.
#pragma once
#include <QObject>
#include <QString>
#include <memory>
#include <mutex>
#include <vector>

#include "app/work/jobs.hpp"
#include "app/work/loaded.hpp"
#include "core/library/hand_over.hpp"

namespace nb {

/// Points of a body, a picture every thirtieth of a second.
struct TakeClip {
    QString take, target;                     ///< names
    std::vector<std::pair<int, int>> bones;   ///< lines between points
    std::vector<std::vector<Vec3>> pictures;  ///< world, m
    double height_m = 1.0;
    static constexpr double picture_s = 1.0 / 30.0;
    static constexpr double most_s = 20.0;
};

class TakeClips : public QObject {
    Q_OBJECT

  public:
    explicit TakeClips(QObject* parent = nullptr);
    ~TakeClips() override;
    /// As it is kept in the library, with what is kept for the pair. What was asked for before is let be.
    void make(const QString& library_folder, const Choice& take, const Choice& target);
    /// Files may have changed.
    void forget();
    void stop() { nb::cancel(making_); }
    void wait() { jobs_.wait(); }

  signals:
    void made(std::shared_ptr<const TakeClip> clip);
    void failed(const QString& line);

  private:
    struct Files {
        std::mutex mutex;
        std::unique_ptr<LibraryFiles> files;
    };
    std::shared_ptr<Files> files_ = std::make_shared<Files>();
    Jobs jobs_;
    Cancelled making_;
};

}  // namespace nb
