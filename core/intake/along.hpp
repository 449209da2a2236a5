// Fingers or face from a file of their own, put into the body's take.
//
// What crosses is what a bone turned since its zero, seen from its hand or head:
//   Q_j = R_WJ R_WJ0^T,   E_j = Q_a^T Q_j   (a: hand, head)
// On a bone of the body that has the role (else the name): R_PJ = (E_p R_WP0)^T E_j R_WJ0. The zero R_WJ0 is the stored
// rest, led rigidly with the hand to where the aligned forearm (neck) carries it; where the bones of both files lie
// there by more than `same_rest_rad` apart in the mean, the stored rests are unlike poses, and it is the aligned rest.
// A bone the body lacks comes new below the one its parent stands for, offsets by the length of both forearms (both
// statures). At other times than its frames by slerp of E; before its first frame (of motion, where
// frame 0 stands apart) and after its last one it is held.
#pragma once
#include <string>
#include <vector>

#include "core/intake/load.hpp"

namespace nb {

/// The words for `TakePart::what`, in the order they are offered.
const std::vector<std::string>& along_parts();
/// A file seen from the folder `of` lies in.
std::string path_along(const std::string& of, const std::string& file);
/// As it is kept: by its name when it lies beside the file `of`, else where it is.
std::string kept_along(const std::string& of, const std::string& file);

/// Into `file` (its own unit and axes, names already unique). `body`: the same, loaded without parts; `path`: of it.
/// Bones that come new are named in `file.facts.along`, what was done is told in `file.notes`. Throws FileError for a
/// part that cannot be read, holds no motion, or has nothing of what is asked; without `is_strict` it stays away, which
/// is told in `file.facts.away` and `file.notes`.
void put_along(SkeletonFile& file, const LoadedFile& body, const std::string& path,
               const std::vector<TakePart>& parts, bool is_strict);

}  // namespace nb
