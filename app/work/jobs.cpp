#include "app/work/jobs.hpp"

namespace nb {

Jobs::Jobs(QObject* parent) : QObject(parent) {
    pool_.setMaxThreadCount(2);
}

Jobs::~Jobs() {
    wait();
}

void Jobs::start(const QString& what) {
    ++count_;
    emit progressed(what, 0, 100);
}

void Jobs::tell(const QString& what, int done, int of) {
    if (count_ > 0) emit progressed(what, done, of);
}

void Jobs::end() {
    if (--count_ == 0) emit progressed({}, 0, 0);
}

}  // namespace nb
