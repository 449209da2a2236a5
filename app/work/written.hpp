// What was written last of a take on a target, and whether it is still what is shown.
#pragma once
#include <QDateTime>
#include <QString>
#include <cstdint>
#include <optional>

#include "core/library/document_key.hpp"
#include "core/motion/take.hpp"

namespace nb {

/// Of a motion's numbers: the same for the same motion, whatever computed it.
std::uint64_t fingerprint(const Take& take);

struct WrittenFile {
    QString path;
    std::uint64_t motion = 0;  ///< its fingerprint
    QDateTime when;
};

/// Kept with the settings of the program, for the last hundred pairs and takes.
void remember_written(const DocumentKey& pairing, const std::string& take, const WrittenFile& file);
std::optional<WrittenFile> last_written(const DocumentKey& pairing, const std::string& take);

}  // namespace nb
