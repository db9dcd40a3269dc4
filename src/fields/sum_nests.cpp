// SPDX-License-Identifier: MIT
#include "fields/sum_nests.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "program/threads.hpp"

namespace boreon {
namespace {

constexpr std::size_t shares_of_one = 64;     // of the lines of an element, whatever the number of threads
constexpr std::size_t worth_a_thread = 4096;  // places

double pairwise(std::span<const double> values) {
  if (values.size() <= 128) {
    // eight in turn, as registers hold them
    std::array<double, 8> sum{};
    std::size_t i = 0;
    for (; i + 8 <= values.size(); i += 8) {
      for (std::size_t l = 0; l < 8; ++l) sum[l] += values[i + l];
    }
    for (; i < values.size(); ++i) sum[i % 8] += values[i];
    return ((sum[0] + sum[1]) + (sum[2] + sum[3])) + ((sum[4] + sum[5]) + (sum[6] + sum[7]));
  }
  const std::size_t half = values.size() / 16 * 8;
  return pairwise(values.first(half)) + pairwise(values.subspan(half));
}

// What a share of the lines has come to.
struct Total {
  double value = 0;
  double rest = 0;

  void add(double v) {
    const double sum = value + v;
    const double left = std::fabs(value) >= std::fabs(v) ? (value - sum) + v : (v - sum) + value;
    if (std::isfinite(left)) rest += left;
    value = sum;
  }
  void take(ReductionOp op, std::span<const double> values) {
    switch (op) {
      case ReductionOp::sum: add(pairwise(values)); break;
      case ReductionOp::product:
        for (const double v : values) value *= v;
        break;
      case ReductionOp::minimum:
        for (const double v : values) value = v < value || std::isnan(v) ? v : value;
        break;
      case ReductionOp::maximum:
        for (const double v : values) value = v > value || std::isnan(v) ? v : value;
        break;
    }
  }
  void join(ReductionOp op, const Total& other) {
    if (op == ReductionOp::sum) {
      add(other.value);
      rest += other.rest;
    } else {
      take(op, {&other.value, 1});
    }
  }
};

double identity(ReductionOp op) {
  switch (op) {
    case ReductionOp::sum: return 0;
    case ReductionOp::product: return 1;
    case ReductionOp::minimum: return std::numeric_limits<double>::infinity();
    case ReductionOp::maximum: return -std::numeric_limits<double>::infinity();
  }
  return 0;
}

}  // namespace

SumNests::SumNests(const FieldSystem& system, const FieldSum& sum, const ExecutorMaker& maker)
    : op_(sum.op), elements_(sum.elements), free_(sum.free), contraction_(Contraction::of(sum)) {
  if (contraction_) return;
  for (const FieldBox& b : sum.boxes) {
    Part p{FieldNest(system, b, {&b.rows[0].value, 1}, true, maker), b.from, b.to, b.rows[0].base, b.rows[0].strides};
    for (std::size_t k = free_; k + 1 < b.from.size(); ++k)
      p.outer *= static_cast<std::size_t>(b.to[k] - b.from[k] + 1);
    parts_.push_back(std::move(p));
  }
}

std::vector<double> SumNests::operator()(const NestMemory& memory, unsigned threads) const {
  if (contraction_) {
    std::vector<double> result(elements_);
    (*contraction_)(memory.arrays, result, threads);
    return result;
  }
  std::vector<Total> totals(elements_, {identity(op_), 0});
  for (const Part& p : parts_) {
    const std::size_t elements = p.nest.lines() / p.outer;
    const std::size_t shares = elements >= shares_of_one ? 1 : std::min(shares_of_one, p.outer);
    std::vector<Total> parts(elements * shares, {identity(op_), 0});
    const auto run = [&](std::size_t first, std::size_t last) {
      for (std::size_t unit = first; unit < last; ++unit) {
        const std::size_t element = unit / shares;
        const std::size_t share = unit % shares;
        Total& to = parts[unit];
        const NestSink sink = [&](const NestPart& part) { to.take(op_, {part.values, part.count}); };
        p.nest.run(element * p.outer + p.outer * share / shares, element * p.outer + p.outer * (share + 1) / shares,
                   memory, nest_memory(p.nest.workspace()), sink);
      }
    };
    const std::size_t helpers =
        std::min<std::size_t>({threads, parts.size(), std::max<std::size_t>(1, p.nest.places() / worth_a_thread)});
    if (helpers <= 1) {
      run(0, parts.size());
    } else {
      run_in_threads(helpers,
                     [&](std::size_t t) { run(parts.size() * t / helpers, parts.size() * (t + 1) / helpers); });
    }
    for (std::size_t e = 0; e < elements; ++e) {
      // its number by its places
      std::int64_t at = p.base;
      std::size_t rest = e;
      for (std::size_t k = free_; k-- > 0;) {
        const auto n = static_cast<std::size_t>(p.to[k] - p.from[k] + 1);
        at += p.strides[k] * (p.from[k] + static_cast<std::int64_t>(rest % n));
        rest /= n;
      }
      for (std::size_t s = 0; s < shares; ++s) totals[static_cast<std::size_t>(at)].join(op_, parts[e * shares + s]);
    }
  }
  std::vector<double> values;
  values.reserve(elements_);
  for (const Total& t : totals) values.push_back(t.value + t.rest);
  return values;
}

std::size_t SumNests::workspace() const {
  std::size_t most = 0;
  for (const Part& p : parts_) most = std::max(most, p.nest.workspace());
  return most;
}

std::size_t SumNests::code_size() const {
  std::size_t n = 0;
  for (const Part& p : parts_) n += p.nest.code_size();
  return n;
}

}  // namespace boreon
