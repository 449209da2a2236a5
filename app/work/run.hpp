// How the workspace runs work in the background. Included by its own files alone.
#pragma once
#include <QMetaObject>
#include <new>
#include <type_traits>

#include "app/work/workspace.hpp"

namespace nb {

/// Runs `work` in the pool; `done` gets its value in the window's thread unless cancelled meanwhile. Whatever
/// goes wrong in either becomes a line said by `failed`. `otherwise` runs when `done` does not.
template <typename Work, typename Done>
void Workspace::run(const QString& what, const std::shared_ptr<std::atomic<bool>>& cancelled, Work work,
                    Done done, const std::function<void()>& otherwise) {
    ++jobs_;
    emit progressed(what, 0, 100);
    pool_.start([this, cancelled, what, otherwise, work = std::move(work), done = std::move(done)]() mutable {
        using Value = std::invoke_result_t<Work, Progress>;
        std::shared_ptr<Value> value;
        QString error;
        try {
            value = std::make_shared<Value>(work([&](int now, int of) {
                QMetaObject::invokeMethod(this, [this, what, now, of] {
                    if (jobs_ > 0) emit progressed(what, now, of);
                });
                return !*cancelled;
            }));
        } catch (const std::bad_alloc&) {
            error = tr("%1: there is not enough memory for it; close what else is open").arg(what);
        } catch (const std::exception& fault) {
            error = QString::fromStdString(fault.what());
        }
        QMetaObject::invokeMethod(
            this, [this, cancelled, value, error, otherwise, done = std::move(done)]() mutable {
                --jobs_;
                if (jobs_ == 0) emit progressed({}, 0, 0);
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
