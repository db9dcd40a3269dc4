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
      const auto most = static_cast<std::size_t>((std::int64_t{1} << 31) / std::abs(s));
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

void FieldNest::run(std::size_t first_line, std::size_t last_line, const NestMemory& memory, double* work,
                    const NestSink& sink) const {
  // The executor's memory comes first, for it wants to begin at a line of the cache.
  double* at = work + (executor_->workspace() + work_alignment - 1) / work_alignment * work_alignment;
  double* const scratch = at;
  at += program_->scratch_size();
  double* const gathered = at;
  at += gathered_ * block_;
  double* const count = at;
  if (counts_) {
    std::iota(count, count + block_, 0.0);
    at += block_;
  }
  double* const places = at;
  at += from_.size() + 1;
  const auto** const in = reinterpret_cast<const double**>(at);
  at += inputs_.size();
  auto** const out = reinterpret_cast<double**>(at);
  double* const values = at + outputs_.size();
  const std::size_t rank = from_.size();
  const std::int64_t along = rank == 0 ? 1 : to_[inner_] - from_[inner_] + 1;
  // The place of the first line; those after it are reached by steps.
  std::array<std::int64_t, most_dimensions> place{};
  std::copy(from_.begin(), from_.end(), place.begin());
  std::size_t rest = first_line;
  for (std::size_t k = rank; k-- > 0;) {
    if (k == inner_) continue;
    const auto n = static_cast<std::size_t>(to_[k] - from_[k] + 1);
    place[k] = from_[k] + static_cast<std::int64_t>(rest % n);
    rest /= n;
  }
  const auto number = [&](const Stream& s) {
    std::int64_t n = s.base - s.lead;
    for (std::size_t k = 0; k < s.strides.size(); ++k) n += s.strides[k] * place[k];
    return n;
  };
  // What moves along a line or from one to the next; the rest stays for the whole nest.
  for (std::size_t g = 0; g < inputs_.size(); ++g) {
    const Stream& s = inputs_[g];
    switch (s.from) {
      case Stream::From::array: in[g] = memory.arrays[s.array] + number(s); break;
      case Stream::From::parameters: in[g] = memory.parameters + s.base; break;
      case Stream::From::time: in[g] = memory.time; break;
      case Stream::From::outer_place: in[g] = places + s.base; break;
      case Stream::From::block_start: in[g] = places + rank; break;
      case Stream::From::inner_place: in[g] = count; break;
      case Stream::From::gathered: in[g] = gathered + s.slot * block_; break;
    }
  }
  for (std::size_t g = 0; g < outputs_.size(); ++g)
    out[g] = to_sink_ ? values + g * block_ : memory.output + number(outputs_[g]);
  const auto move = [&](std::size_t k, std::int64_t by) {
    for (std::size_t g = 0; g < inputs_.size(); ++g) {
      if (inputs_[g].from == Stream::From::array && !inputs_[g].strides.empty()) in[g] += inputs_[g].strides[k] * by;
    }
    for (std::size_t g = 0; g < outputs_.size() && !to_sink_; ++g) {
      if (!outputs_[g].strides.empty()) out[g] += outputs_[g].strides[k] * by;
    }
  };
  const std::int64_t blocks_before = (along - 1) / static_cast<std::int64_t>(block_);  // of the last one of a line
  const bool instructions = !program_->instructions.empty() || !program_->scratch.empty();
  for (std::size_t k = 0; k < rank; ++k) places[k] = static_cast<double>(place[k]);
  for (std::size_t line = first_line; line < last_line; ++line) {
    for (std::int64_t begin = 0; begin < along; begin += static_cast<std::int64_t>(block_)) {
      const std::int64_t here = std::min(along - begin, static_cast<std::int64_t>(block_));
      if (begin > 0) move(inner_, static_cast<std::int64_t>(block_));
      if (counts_) places[rank] = static_cast<double>(from_[inner_] + begin);
      if (gathered_ > 0) {
        for (const Stream& s : inputs_) {
          if (s.from == Stream::From::gathered)
            gather(s, memory.arrays[s.array], part_of(line, begin, here), gathered + s.slot * block_);
        }
      }
      if (instructions) executor_->instructions(in, out, scratch, work);
      executor_->rows(0, 0, static_cast<std::size_t>(here), in, out, scratch, work);
      if (to_sink_) {
        NestPart part = part_of(line, begin, here);
        part.values = values;
        sink(part);
      }
    }
    if (line + 1 == last_line) break;
    if (blocks_before > 0) move(inner_, -blocks_before * static_cast<std::int64_t>(block_));
    for (std::size_t k = rank; k-- > 0;) {
      if (k == inner_) continue;
      const bool over = place[k] == to_[k];
      const std::int64_t by = over ? from_[k] - to_[k] : 1;
      place[k] += by;
      places[k] = static_cast<double>(place[k]);
      move(k, by);
      if (!over) break;
    }
  }
}

double* nest_memory(std::size_t size) {
  thread_local std::vector<double> memory;
  if (memory.size() < size + work_alignment) memory.resize(size + work_alignment);
  const auto address = reinterpret_cast<std::uintptr_t>(memory.data());
  return memory.data() + ((64 - address % 64) % 64) / sizeof(double);
}

}  // namespace boreon
