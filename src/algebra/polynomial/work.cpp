#include "algebra/polynomial/work.hpp"

#include <algorithm>
#include <limits>

#include "boreon/error.hpp"

namespace boreon::poly {
namespace {
// Of this thread; set only by WorkLimit, which restores it.
thread_local std::uint64_t left = std::numeric_limits<std::uint64_t>::max();
}  // namespace

WorkLimit::WorkLimit(std::uint64_t units) : outer_left_(left), granted_(std::min(units, left)) { left = granted_; }

WorkLimit::~WorkLimit() { left = outer_left_ - used(); }

std::uint64_t WorkLimit::used() const { return granted_ - left; }

void charge(std::uint64_t units) {
  if (units > left) {
    left = 0;
    throw Error(ErrorKind::limit, "the polynomial arithmetic takes more work than its limit allows");
  }
  left -= units;
}

}  // namespace boreon::poly
