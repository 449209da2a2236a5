// Work in the background: what it is, how far it is, and its end in the window's thread.
#pragma once
#include <QMetaObject>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <atomic>
#include <functional>
#include <memory>
#include <new>
#include <type_traits>
#include <utility>

#include "core/base/watch.hpp"

namespace nb {

/// True once a piece of work is not wanted any more.
using Cancelled = std::shared_ptr<std::atomic<bool>>;
inline Cancelled not_cancelled() {
    return std::make_shared<std::atomic<bool>>(false);
}
/// Whoever reads the flag is told that it is not wanted.
inline void cancel(const Cancelled& flag) {
    if (flag) *flag = true;
}

class Jobs : public QObject {
    Q_OBJECT

  public:
    explicit Jobs(QObject* parent = nullptr);
    ~Jobs() override;

    bool is_busy() const { return count_ > 0; }
    /// Until all that runs is over.
    void wait() { pool_.waitForDone(); }
    /// Runs `work` in the pool; `done` gets its value in the window's thread unless cancelled meanwhile.
    /// Whatever goes wrong in either becomes a line said by `failed`. `otherwise` runs when `done` does not.
    /// `work` is given a function to tell how many of how many are done, which returns false to stop.
    template <typename Work, typename Done>
    void run(const QString& what, const Cancelled& cancelled, Work work, Done done,
             const std::function<void()>& otherwise = {});

  signals:
    void progressed(const QString& what, int done, int of);  ///< of = 0: over
    void failed(const QString& line);

  private:
    QThreadPool pool_;
    int count_ = 0;

    void start(const QString& what);
    void tell(const QString& what, int done, int of);
    void end();
};

template <typename Work, typename Done>
void Jobs::run(const QString& what, const Cancelled& cancelled, Work work, Done done,
               const std::function<void()>& otherwise) {
    using Tell = std::function<bool(int done, int of)>;
    start(what);
    pool_.start([this, cancelled, what, otherwise, work = std::move(work), done = std::move(done)]() mutable {
        using Value = std::invoke_result_t<Work, Tell>;
        std::shared_ptr<Value> value;
        QString error;
        try {
            // What is read and measured below asks whether it is still wanted.
            const WatchedWork watched(Watch([&, told = -1](double part) mutable {
                if (const int now = int(100.0 * part); now != std::exchange(told, now))
                    QMetaObject::invokeMethod(this, [this, what, now] { tell(what, now, 100); });
                return !*cancelled;
            }));
            value = std::make_shared<Value>(work([&](int now, int of) {
                QMetaObject::invokeMethod(this, [this, what, now, of] { tell(what, now, of); });
                return !*cancelled;
            }));
        } catch (const std::bad_alloc&) {
            error = tr("%1: there is not enough memory for it; close what else is open").arg(what);
        } catch (const std::exception& fault) {
            error = QString::fromStdString(fault.what());
        }
        QMetaObject::invokeMethod(
            this, [this, cancelled, value, error, otherwise, done = std::move(done)]() mutable {
                end();
                const bool is_done = value && !*cancelled;
                if (is_done) try {
                        done(std::move(*value));
                    } catch (const std::exception& fault) {
                        emit failed(QString::fromStdString(fault.what()));
                    }
                if (!is_done && otherwise) otherwise();
                if (!value && !*cancelled) emit failed(error);
            });
    });
}

}  // namespace nb
