// Linear systems with a symmetric positive definite band matrix.
#pragma once
#include <vector>

namespace nb {

/// Solves A x = b for a symmetric positive definite band matrix by Cholesky's factorization without pivots
/// (Golub & Van Loan, Matrix Computations, band algorithms; from memory). `band` is row-major, n rows of
/// `half + 1` entries: A[i][i - half .. i]; it is overwritten by the factor, b by x. The order of operations
/// is fixed: equal input gives equal bits. False when a pivot is not positive or not a number: b is then of no
/// use.
bool solve_banded(std::vector<double>& band, int half, std::vector<double>& b);

}  // namespace nb
