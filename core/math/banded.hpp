// Linear systems with a symmetric positive definite band matrix.
#pragma once
#include <cstddef>
#include <vector>

namespace nb {

/// Solves A x = b for a symmetric positive definite band matrix by the factorization L D L^T without pivots
/// (Golub & Van Loan, Matrix Computations, band algorithms; from memory). `band` is row-major, n rows of
/// `half + 1` entries: A[i][i - half .. i]; it is overwritten by the factor, b by x. The order of operations
/// is fixed: equal input gives equal bits. False when a pivot is not positive or not a number: b is then of no
/// use.
bool solve_banded(std::vector<double>& band, int half, std::vector<double>& b);

/// Such a system of `width` unknowns a frame: those of a frame go together, and each with its own over two frames at most.
/// Filled entry by entry, then solved.
class FrameSystem {
  public:
    FrameSystem(int frames, int width);
    int half() const { return 2 * width_; }
    /// A := 0, b := 0.
    void clear();
    /// To A; `column` <= `row`, in the band.
    void add(int row, int column, double value) {
        band_[size_t(row) * size_t(half()) + size_t(column) + size_t(half())] += value;
    }
    /// To b.
    void pull(int row, double value) { b_[size_t(row)] += value; }
    /// Of smooth * sum_t |x_(t-1) - 2 x_t + x_(t+1)|^2 (Whittaker 1923; from memory).
    void add_smoothness(double smooth);
    /// As `solve_banded`; then `at` is x.
    bool solve() { return solve_banded(band_, half(), b_); }
    const double* at(int frame) const { return &b_[size_t(frame) * size_t(width_)]; }

  private:
    int frames_, width_;
    std::vector<double> band_, b_;
};

}  // namespace nb
