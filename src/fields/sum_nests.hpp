// SPDX-License-Identifier: MIT
// A long sum as nests: values part by part, added up in an order that does not depend on the number of threads.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "fields/contraction.hpp"
#include "fields/nest.hpp"

namespace boreon {

class SumNests {
 public:
  SumNests(const FieldSystem& system, const FieldSum& sum, const ExecutorMaker& maker);
  /// One number for each element. Sums of a part are pairwise, those of parts carry what rounding left (Neumaier,
  /// 1974).
  [[nodiscard]] std::vector<double> operator()(const NestMemory& memory, unsigned threads) const;
  [[nodiscard]] std::size_t workspace() const;
  [[nodiscard]] std::size_t code_size() const;

 private:
  struct Part {
    FieldNest nest;
    std::vector<std::int64_t> from, to;
    std::int64_t base = 0;
    std::vector<std::int64_t> strides;
    std::size_t outer = 1;  // lines for each element
  };
  ReductionOp op_;
  std::size_t elements_;
  std::size_t free_;
  std::optional<Contraction> contraction_;  // then there are no parts
  std::vector<Part> parts_;
};

}  // namespace boreon
