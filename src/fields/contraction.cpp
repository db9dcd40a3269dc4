// SPDX-License-Identifier: MIT
#include "fields/contraction.hpp"

#include <Eigen/Core>
#include <algorithm>

#include "program/threads.hpp"

namespace boreon {
namespace {

template <int order>
using Read = Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, order>, 0, Eigen::OuterStride<>>;
template <int order>
using Written = Eigen::Map<Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, order>>;

// f(matrix) with the strides of its rows and columns, one of which is 1.
template <class F>
void with_matrix(const double* data, std::int64_t rows, std::int64_t columns, std::int64_t row_stride,
                 std::int64_t column_stride, const F& f) {
  if (column_stride == 1 || columns == 1) {
    f(Read<Eigen::RowMajor>(data, rows, columns, Eigen::OuterStride<>(std::max<std::int64_t>(row_stride, 1))));
  } else {
    f(Read<Eigen::ColMajor>(data, rows, columns, Eigen::OuterStride<>(std::max<std::int64_t>(column_stride, 1))));
  }
}

}  // namespace

std::optional<Contraction> Contraction::of(const FieldSum& sum) {
  if (sum.op != ReductionOp::sum || sum.boxes.size() != 1 || sum.free > 2) return std::nullopt;
  const FieldBox& box = sum.boxes[0];
  const Expr& value = box.rows[0].value;
  if (box.from.size() != sum.free + 1 || !value.is(Kind::product)) return std::nullopt;
  Contraction c;
  c.factor_ = value.operands()[0].number().to_double();
  std::vector<const FieldEntry*> factors;
  for (const auto [base, exponent] : Parts(value)) {
    const auto at = std::find(box.symbols.begin(), box.symbols.end(), base);
    if (at == box.symbols.end() || !exponent.is_integer(1)) return std::nullopt;
    factors.push_back(&box.entries[static_cast<std::size_t>(at - box.symbols.begin())]);
    if (factors.back()->table) return std::nullopt;
  }
  if (factors.size() != 2) return std::nullopt;
  // the dimension outside that each factor goes with
  std::vector<std::size_t> own[2];
  for (std::size_t d = 0; d < sum.free; ++d) {
    const bool a = factors[0]->strides[d] != 0;
    const bool b = factors[1]->strides[d] != 0;
    if (a && b) return std::nullopt;
    if (a) own[0].push_back(d);
    if (b) own[1].push_back(d);
  }
  if (own[0].size() > 1 || own[1].size() > 1 || own[0].size() + own[1].size() != sum.free) return std::nullopt;
  const auto extent = [&](std::size_t d) { return box.to[d] - box.from[d] + 1; };
  Side* const sides[] = {&c.a_, &c.b_};
  std::int64_t* const sizes[] = {&c.m_, &c.n_};
  for (std::size_t f = 0; f < 2; ++f) {
    const FieldEntry& e = *factors[f];
    Side& s = *sides[f];
    s.array = e.array;
    s.base = e.base;
    for (std::size_t d = 0; d < e.strides.size(); ++d) s.base += e.strides[d] * box.from[d];
    s.summed = e.strides[sum.free];
    if (!own[f].empty()) {
      s.along = e.strides[own[f][0]];
      *sizes[f] = extent(own[f][0]);
    }
    const bool vector = own[f].empty();
    if (s.summed <= 0 || s.along < 0 || (vector ? s.summed != 1 : s.summed != 1 && s.along != 1)) return std::nullopt;
  }
  c.k_ = extent(sum.free);
  c.rows_first_ = own[0].empty() || own[1].empty() || own[0][0] < own[1][0];
  return c;
}

void Contraction::operator()(std::span<const double* const> arrays, std::span<double> result, unsigned threads) const {
  constexpr std::int64_t worth_a_thread = 100'000;  // products
  const auto helpers = static_cast<std::int64_t>(std::min<std::size_t>(
      threads, static_cast<std::size_t>(std::max<std::int64_t>(1, m_ * n_ * k_ / worth_a_thread))));
  const double* const a_data = arrays[a_.array] + a_.base;
  const double* const b_data = arrays[b_.array] + b_.base;
  // Shares of the rows of a, or of the columns of b where a has one row.
  const bool by_rows = m_ >= n_ || n_ == 1;
  const std::int64_t shared = by_rows ? m_ : n_;
  const auto share = [&](std::int64_t first, std::int64_t last) {
    const std::int64_t rows = by_rows ? last - first : m_;
    const std::int64_t columns = by_rows ? n_ : last - first;
    const double* const a = a_data + (by_rows ? first * a_.along : 0);
    const double* const b = b_data + (by_rows ? 0 : first * b_.along);
    with_matrix(a, rows, k_, a_.along, a_.summed, [&](const auto& left) {
      with_matrix(b, k_, columns, b_.summed, b_.along, [&](const auto& right) {
        const auto write = [&](auto whole) {
          auto part = by_rows ? whole.block(first, 0, rows, columns) : whole.block(0, first, rows, columns);
          part.noalias() = left * right;
          if (factor_ != 1) part *= factor_;
        };
        if (rows_first_) {
          write(Written<Eigen::RowMajor>(result.data(), m_, n_));
        } else {
          write(Written<Eigen::ColMajor>(result.data(), m_, n_));
        }
      });
    });
  };
  if (helpers <= 1) return share(0, shared);
  run_in_threads(static_cast<std::size_t>(helpers), [&](std::size_t t) {
    const auto n = static_cast<std::int64_t>(t);
    share(shared * n / helpers, shared * (n + 1) / helpers);
  });
}

}  // namespace boreon
