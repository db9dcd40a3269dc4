// SPDX-License-Identifier: MIT
#include "fields/nest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <numeric>

#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "fields/affine.hpp"
#include "program/passes.hpp"

namespace boreon {
namespace {

constexpr std::size_t longest_block = 4096;               // places of a line in one call
constexpr std::int64_t farthest = std::int64_t{1} << 26;  // entries within reach of one pointer
constexpr std::int64_t short_line = 32;                   // shorter ones cost more than other strides do
constexpr std::size_t work_alignment = 8;                 // doubles

}  // namespace

// Takes the entries of a body apart into streams.
class FieldNest::Builder {
 public:
  Builder(FieldNest& nest, const FieldSystem& system, const FieldBox& box) : nest_(nest), system_(system), box_(box) {}

  void choose_loop(bool along_last) {
    nest_.from_ = box_.from;
    nest_.to_ = box_.to;
    const std::size_t rank = box_.from.size();
    const auto extent = [&](std::size_t k) { return box_.to[k] - box_.from[k] + 1; };
    nest_.places_ = box_.places();
    if (rank == 0) return;
    nest_.inner_ = rank - 1;
    if (extent(rank - 1) < short_line && !along_last) {
      for (std::size_t k = rank - 1; k-- > 0;) {
        if (extent(k) > 2 * extent(nest_.inner_)) nest_.inner_ = k;
      }
    }
    const std::int64_t along = extent(nest_.inner_);
    nest_.lines_ = nest_.places_ / static_cast<std::size_t>(along);
    nest_.block_ = std::min<std::size_t>(longest_block, static_cast<std::size_t>(along));
  }

  // The loop in the symbols of entries, places, parameters and the time.
  void read(std::span<const NestTarget> targets) {
    std::vector<Expr> values;
    for (const NestTarget& t : targets) values.push_back(t.value);
    std::vector<Expr> leaves;
    std::vector<RowLoop::Place> places;
    const auto add = [&](const Expr& symbol, Stream stream, std::int64_t step) {
      leaves.push_back(symbol);
      places.push_back(place(nest_.inputs_, std::move(stream), step));
    };
    std::vector<std::size_t> dimensions;
    for (const Symbol& s : free_symbols(values)) {
      if (const auto k = dimension_of_place(s)) {
        dimensions.push_back(*k);
        continue;
      }
      const auto entry = std::find(box_.symbols.begin(), box_.symbols.end(), s);
      if (entry != box_.symbols.end()) {
        const FieldEntry& e = box_.entries[static_cast<std::size_t>(entry - box_.symbols.begin())];
        Stream stream;
        stream.array = e.array;
        stream.base = e.base;
        stream.strides = e.strides;
        std::int64_t step = e.strides.empty() ? 0 : e.strides[nest_.inner_];
        if (e.table) {
          stream.from = Stream::From::gathered;
          stream.table = e.table;
          stream.slot = nest_.gathered_++;
          step = 1;
        }
        add(s, std::move(stream), step);
        continue;
      }
      const auto parameter = std::find(system_.parameters.begin(), system_.parameters.end(), s);
      Stream stream;
      stream.from = Stream::From::parameters;
      if (parameter != system_.parameters.end()) {
        stream.base = parameter - system_.parameters.begin();
      } else if (s == system_.time) {
        stream.from = Stream::From::time;
      } else {
        throw Error(ErrorKind::binding,
                    fmt::format("{} is no field, index, parameter or size of the system", s.name()));
      }
      add(s, std::move(stream), 0);
    }
    // The place along the loop is where the block starts and a count.
    for (const std::size_t k : dimensions) {
      Stream stream;
      stream.base = static_cast<std::int64_t>(k);
      stream.from = k == nest_.inner_ ? Stream::From::block_start : Stream::From::outer_place;
      const Expr start = Symbol(fmt::format("start{}", k), Assumptions{Assumption::integer});
      add(k == nest_.inner_ ? start : place_symbol(k), stream, 0);
      if (k != nest_.inner_) continue;
      nest_.counts_ = true;
      Stream count;
      count.from = Stream::From::inner_place;
      const Expr counted = Symbol(fmt::format("count{}", k), Assumptions{Assumption::integer});
      add(counted, count, 1);
      Rebuild pass([&, at = place_symbol(k)](const Expr& e, Expr& result) {
        if (!(e == at)) return false;
        result = start + counted;
        return true;
      });
      for (Expr& v : values) v = pass(v);
    }
    finish(values, leaves, std::move(places), targets);
  }

 private:
  // The group and offset of an entry: one within reach of a stream that moves alike, or a new stream.
  RowLoop::Place place(std::vector<Stream>& streams, Stream s, std::int64_t step) {
    // of the dimensions that do not move there is nothing to tell apart
    for (std::size_t k = 0; k < s.strides.size(); ++k) {
      if (box_.from[k] == box_.to[k]) {
        s.base += s.strides[k] * box_.from[k];
        s.strides[k] = 0;
      }
    }
    for (std::size_t g = 0; g < streams.size(); ++g) {
      const Stream& known = streams[g];
      if (known.from != s.from || known.array != s.array || known.strides != s.strides || known.table != s.table)
        continue;
      const std::int64_t distance = s.base - known.base;
      // what is the same along the loop is read by its number, which is not negative
      if (distance > farthest || distance < (step == 0 ? 0 : -farthest)) continue;
      return {static_cast<std::uint32_t>(g), table_of(step), static_cast<std::int32_t>(distance)};
    }
    if (step < 0) s.lead = -step * (static_cast<std::int64_t>(nest_.block_) - 1);
    streams.push_back(std::move(s));
    return {static_cast<std::uint32_t>(streams.size() - 1), table_of(step), 0};
  }

  std::uint32_t table_of(std::int64_t step) {
    const auto known = std::find(steps_.begin(), steps_.end(), step);
    if (known != steps_.end()) return static_cast<std::uint32_t>(known - steps_.begin());
    steps_.push_back(step);
    return static_cast<std::uint32_t>(steps_.size() - 1);
  }

  void finish(const std::vector<Expr>& values, const std::vector<Expr>& leaves, std::vector<RowLoop::Place> places,
              std::span<const NestTarget> targets) {
    Program program;
    RowLoop loop;
    loop.slots = std::move(places);
    for (const NestTarget& t : targets) {
      Stream s;
      s.base = t.base;
      s.strides = t.strides;
      const std::int64_t step = t.strides.empty() ? 0 : t.strides[nest_.inner_];
      loop.targets.push_back(place(nest_.outputs_, std::move(s), step));
    }
    // Numbers of a table fit into 32 bits.
    for (const std::int64_t s : steps_) {
      if (s == 0) continue;
      constexpr std::int64_t longest_step = std::int64_t{1} << 27;  // in bytes it is part of an instruction
      const auto most =
          std::abs(s) > longest_step ? std::size_t{1} : static_cast<std::size_t>((std::int64_t{1} << 31) / std::abs(s));
      nest_.block_ = std::max<std::size_t>(1, std::min(nest_.block_, most));
    }
    for (std::vector<Stream>* streams : {&nest_.inputs_, &nest_.outputs_}) {
      for (Stream& s : *streams) {
        if (s.lead != 0) s.lead = -s.strides[nest_.inner_] * (static_cast<std::int64_t>(nest_.block_) - 1);
      }
    }
    loop.rows = nest_.block_;
    loop.all_rows = nest_.places_;
    for (const std::int64_t s : steps_) {
      IndexTable t;
      if (s >= 0) {
        t.step = static_cast<std::uint32_t>(s);
      } else {
        for (std::size_t r = nest_.block_; r-- > 0;)
          t.entries.push_back(static_cast<std::uint32_t>(static_cast<std::int64_t>(r) * -s));
      }
      loop.tables.push_back(std::move(t));
    }
    NodeMap<Operand> operands;
    for (std::size_t n = 0; n < leaves.size(); ++n) operands[leaves[n]] = {2, static_cast<std::uint32_t>(n)};
    const auto uniform = [&](Operand o) {
      const IndexTable& t = loop.tables[loop.slots[o.index].table];
      return t.entries.empty() && t.step == 0;
    };
    loop.body.inputs.push_back({"entry", {}, leaves.size(), std::nullopt});
    loop.body.outputs.push_back({"row", {}, values.size(), std::nullopt});
    std::vector<Operand> results;
    const std::vector<std::string> missing =
        lower(values, operands, true, loop.body, results, [&](Operand o) { return o.space == 2 && uniform(o); });
    if (!missing.empty())
      throw Error(ErrorKind::binding,
                  fmt::format("{} is no field, index, parameter or size of the system", missing[0]));
    loop.body.results.push_back(std::move(results));
    remove_unused(loop.body);
    join_sine_cosine(loop.body);
    for (std::size_t g = 0; g < nest_.inputs_.size(); ++g)
      program.inputs.push_back({fmt::format("in{}", g), {}, 1, {}});
    for (std::size_t g = 0; g < nest_.outputs_.size(); ++g) {
      program.outputs.push_back({fmt::format("out{}", g), {}, 0, {}});
      program.results.emplace_back();
    }
    program.functions = std::move(loop.body.functions);
    hoist_uniform(program, loop);
    program.loops.push_back(std::move(loop));
    nest_.program_ = std::make_shared<const Program>(std::move(program));
  }

  FieldNest& nest_;
  const FieldSystem& system_;
  const FieldBox& box_;
  std::vector<std::int64_t> steps_;  // of the tables
};

FieldNest::FieldNest(const FieldSystem& system, const FieldBox& box, std::vector<NestTarget> targets,
                     const ExecutorMaker& maker) {
  make(system, box, targets, maker, false);
}

FieldNest::FieldNest(const FieldSystem& system, const FieldBox& box, std::span<const Expr> values, bool along_last,
                     const ExecutorMaker& maker)
    : to_sink_(true) {
  // Each value has a stream of its own.
  Builder builder(*this, system, box);
  builder.choose_loop(along_last);
  std::vector<NestTarget> lines;
  for (const Expr& v : values) {
    NestTarget line{v, static_cast<std::int64_t>(lines.size()) * 4 * farthest,
                    std::vector<std::int64_t>(box.from.size(), 0)};
    if (!line.strides.empty()) line.strides[inner_] = 1;
    lines.push_back(std::move(line));
  }
  make(system, box, lines, maker, along_last);
}

void FieldNest::make(const FieldSystem& system, const FieldBox& box, std::span<const NestTarget> targets,
                     const ExecutorMaker& maker, bool along_last) {
  if (box.from.size() > most_dimensions)
    throw Error(ErrorKind::limit, fmt::format("loops are nested at most {} deep", most_dimensions));
  Builder builder(*this, system, box);
  builder.choose_loop(along_last);
  builder.read(targets);
  executor_ = maker(program_);
}

std::size_t FieldNest::workspace() const {
  const std::size_t counts = counts_ ? block_ : 0;
  return executor_->workspace() + program_->scratch_size() + (gathered_ * block_) + counts + from_.size() + 1 +
         inputs_.size() + outputs_.size() + (to_sink_ ? block_ * outputs_.size() : 0) + 3 * work_alignment;
}

NestPart FieldNest::part_of(std::size_t line, std::int64_t begin, std::int64_t count) const {
  // Places of the box are numbered with the last dimension running fastest, lines leave out the inner one.
  std::size_t after = 1;
  for (std::size_t k = inner_ + 1; k < from_.size(); ++k) after *= static_cast<std::size_t>(to_[k] - from_[k] + 1);
  const std::size_t along = from_.empty() ? 1 : static_cast<std::size_t>(to_[inner_] - from_[inner_] + 1);
  NestPart part;
  part.count = static_cast<std::size_t>(count);
  part.stride = block_;
  part.first_place = (line / after) * after * along + line % after + static_cast<std::size_t>(begin) * after;
  part.place_step = after;
  return part;
}

void FieldNest::gather(const Stream& s, const double* from, const NestPart& part, double* to) const {
  const std::int64_t* table = s.table->data() + part.first_place;
  for (std::size_t q = 0; q < part.count; ++q, table += part.place_step) to[q] = from[*table];
}

// Pointers to where each stream is, and the place that the other dimensions have.
class FieldNest::Walk {
 public:
  Walk(const FieldNest& nest, const NestMemory& memory, double* work, std::size_t line)
      : nest_(nest), memory_(memory), work_(work) {
    // The executor's memory comes first, for it wants to begin at a line of the cache.
    double* at = work + (nest.executor_->workspace() + work_alignment - 1) / work_alignment * work_alignment;
    scratch_ = at;
    at += nest.program_->scratch_size();
    gathered_ = at;
    at += nest.gathered_ * nest.block_;
    count_ = at;
    if (nest.counts_) {
      std::iota(count_, count_ + nest.block_, 0.0);
      at += nest.block_;
    }
    places_ = at;
    at += nest.from_.size() + 1;
    in_ = reinterpret_cast<const double**>(at);
    at += nest.inputs_.size();
    out_ = reinterpret_cast<double**>(at);
    values_ = at + nest.outputs_.size();
    begin_at(line);
    instructions_ = !nest.program_->instructions.empty() || !nest.program_->scratch.empty();
  }

  // Places begin .. begin + count of a line, counted from its first.
  void block(std::size_t line, std::int64_t begin, std::int64_t count, const NestSink& sink) {
    if (begin > 0) move(nest_.inner_, static_cast<std::int64_t>(nest_.block_));
    if (nest_.counts_) places_[nest_.from_.size()] = static_cast<double>(nest_.from_[nest_.inner_] + begin);
    if (nest_.gathered_ > 0) {
      for (const Stream& s : nest_.inputs_) {
        if (s.from == Stream::From::gathered)
          nest_.gather(s, memory_.arrays[s.array], nest_.part_of(line, begin, count),
                       gathered_ + s.slot * nest_.block_);
      }
    }
    if (instructions_) nest_.executor_->instructions(in_, out_, scratch_, work_);
    nest_.executor_->rows(0, 0, static_cast<std::size_t>(count), in_, out_, scratch_, work_);
    if (!nest_.to_sink_) return;
    NestPart part = nest_.part_of(line, begin, count);
    part.values = values_;
    sink(part);
  }

  // From the last block of a line to the first of the next; `blocks` came before the last.
  void next_line(std::int64_t blocks) {
    if (blocks > 0) move(nest_.inner_, -blocks * static_cast<std::int64_t>(nest_.block_));
    for (std::size_t k = nest_.from_.size(); k-- > 0;) {
      if (k == nest_.inner_) continue;
      const bool over = place_[k] == nest_.to_[k];
      const std::int64_t by = over ? nest_.from_[k] - nest_.to_[k] : 1;
      place_[k] += by;
      places_[k] = static_cast<double>(place_[k]);
      move(k, by);
      if (!over) break;
    }
  }

 private:
  void begin_at(std::size_t line) {
    std::copy(nest_.from_.begin(), nest_.from_.end(), place_.begin());
    for (std::size_t k = nest_.from_.size(); k-- > 0;) {
      if (k != nest_.inner_) {
        const auto n = static_cast<std::size_t>(nest_.to_[k] - nest_.from_[k] + 1);
        place_[k] += static_cast<std::int64_t>(line % n);
        line /= n;
      }
      places_[k] = static_cast<double>(place_[k]);
    }
    for (std::size_t g = 0; g < nest_.inputs_.size(); ++g) in_[g] = beginning(nest_.inputs_[g]);
    for (std::size_t g = 0; g < nest_.outputs_.size(); ++g)
      out_[g] = nest_.to_sink_ ? values_ + g * nest_.block_ : memory_.output + number(nest_.outputs_[g]);
  }

  [[nodiscard]] std::int64_t number(const Stream& s) const {
    std::int64_t n = s.base - s.lead;
    for (std::size_t k = 0; k < s.strides.size(); ++k) n += s.strides[k] * place_[k];
    return n;
  }

  [[nodiscard]] const double* beginning(const Stream& s) const {
    switch (s.from) {
      case Stream::From::array: return memory_.arrays[s.array] + number(s);
      case Stream::From::parameters: return memory_.parameters + s.base;
      case Stream::From::time: return memory_.time;
      case Stream::From::outer_place: return places_ + s.base;
      case Stream::From::block_start: return places_ + nest_.from_.size();
      case Stream::From::inner_place: return count_;
      case Stream::From::gathered: return gathered_ + s.slot * nest_.block_;
    }
    return nullptr;
  }

  void move(std::size_t k, std::int64_t by) {
    for (std::size_t g = 0; g < nest_.inputs_.size(); ++g) {
      const Stream& s = nest_.inputs_[g];
      if (s.from == Stream::From::array && !s.strides.empty()) in_[g] += s.strides[k] * by;
    }
    for (std::size_t g = 0; g < nest_.outputs_.size() && !nest_.to_sink_; ++g) {
      const Stream& s = nest_.outputs_[g];
      if (!s.strides.empty()) out_[g] += s.strides[k] * by;
    }
  }

  const FieldNest& nest_;
  const NestMemory& memory_;
  double* work_;
  double* scratch_ = nullptr;
  double* gathered_ = nullptr;
  double* count_ = nullptr;
  double* places_ = nullptr;  // as numbers; behind them where the block begins
  const double** in_ = nullptr;
  double** out_ = nullptr;
  double* values_ = nullptr;
  bool instructions_ = false;
  std::array<std::int64_t, most_dimensions> place_{};
};

void FieldNest::run(std::size_t first_line, std::size_t last_line, const NestMemory& memory, double* work,
                    const NestSink& sink) const {
  const std::int64_t along = from_.empty() ? 1 : to_[inner_] - from_[inner_] + 1;
  const auto block = static_cast<std::int64_t>(block_);
  const std::int64_t before_last = (along - 1) / block;
  Walk walk(*this, memory, work, first_line);
  for (std::size_t line = first_line; line < last_line; ++line) {
    if (line > first_line) walk.next_line(before_last);
    for (std::int64_t begin = 0; begin < along; begin += block)
      walk.block(line, begin, std::min(along - begin, block), sink);
  }
}

double* nest_memory(std::size_t size) {
  thread_local std::vector<double> memory;
  if (memory.size() < size + work_alignment) memory.resize(size + work_alignment);
  const auto address = reinterpret_cast<std::uintptr_t>(memory.data());
  return memory.data() + ((64 - address % 64) % 64) / sizeof(double);
}

}  // namespace boreon
