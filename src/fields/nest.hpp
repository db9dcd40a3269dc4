// SPDX-License-Identifier: MIT
// The loops of one box: a program whose only loop runs along one dimension, called for each place of the others with
// pointers to where its entries begin.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "boreon/fields.hpp"
#include "boreon/program.hpp"
#include "program/executor.hpp"

namespace boreon {

/// What a value of a nest goes to: number base + sum of strides[k]*r[k] of the output.
struct NestTarget {
  Expr value;
  std::int64_t base = 0;
  std::vector<std::int64_t> strides;
};

/// Dimensions of a box, sums included.
inline constexpr std::size_t most_dimensions = 16;

/// Where numbers come from and go to.
struct NestMemory {
  std::span<const double* const> arrays;  // the state, the data, the sums
  const double* parameters = nullptr;
  const double* time = nullptr;
  double* output = nullptr;
};

/// Values of a part of a line: of target t at values[t*stride], for places of the box that begin at one number and go
/// on in steps.
struct NestPart {
  const double* values = nullptr;
  std::size_t count = 0;
  std::size_t stride = 0;
  std::size_t first_place = 0;
  std::size_t place_step = 1;
};
using NestSink = std::function<void(const NestPart&)>;

class FieldNest {
 public:
  FieldNest(const FieldSystem& system, const FieldBox& box, std::vector<NestTarget> targets,
            const ExecutorMaker& maker);
  /// The values go part by part to a sink; for a sum along the last dimension.
  FieldNest(const FieldSystem& system, const FieldBox& box, std::span<const Expr> values, bool along_last,
            const ExecutorMaker& maker);

  /// Lines along the inner dimension: what threads share.
  [[nodiscard]] std::size_t lines() const { return lines_; }
  [[nodiscard]] std::size_t places() const { return places_; }
  /// `work` holds workspace() doubles.
  void run(std::size_t first_line, std::size_t last_line, const NestMemory& memory, double* work,
           const NestSink& sink = {}) const;
  [[nodiscard]] std::size_t workspace() const;
  [[nodiscard]] std::string method() const { return executor_->method(); }
  [[nodiscard]] std::size_t code_size() const { return program_->code_size(); }

 private:
  // A group of the program: entries that keep their distances along the lines.
  struct Stream {
    enum class From : std::uint8_t { array, parameters, time, outer_place, inner_place, block_start, gathered };
    From from = From::array;
    std::size_t array = 0;
    std::int64_t base = 0;
    std::vector<std::int64_t> strides;  // by dimension; the inner one is that of the loop
    std::int64_t lead = 0;              // of falling streams: by how much the pointer stands before the first entry
    std::shared_ptr<const std::vector<std::int64_t>> table = {};
    std::size_t slot = 0;  // of gathered numbers
  };
  class Builder;
  class Walk;
  void make(const FieldSystem& system, const FieldBox& box, std::span<const NestTarget> targets,
            const ExecutorMaker& maker, bool along_last);
  void gather(const Stream& s, const double* from, const NestPart& part, double* to) const;
  [[nodiscard]] NestPart part_of(std::size_t line, std::int64_t begin, std::int64_t count) const;

  std::vector<std::int64_t> from_;
  std::vector<std::int64_t> to_;
  std::size_t inner_ = 0;
  std::size_t block_ = 1;
  std::size_t lines_ = 1;
  std::size_t places_ = 1;
  std::size_t gathered_ = 0;
  bool counts_ = false;  // the loop reads its own place
  bool to_sink_ = false;
  std::vector<Stream> inputs_;
  std::vector<Stream> outputs_;
  std::shared_ptr<const Program> program_;
  std::shared_ptr<const Executor> executor_;
};

/// Memory of this thread, which grows to the largest nest run in it; at the beginning of a line of the cache.
[[nodiscard]] double* nest_memory(std::size_t size);

}  // namespace boreon
