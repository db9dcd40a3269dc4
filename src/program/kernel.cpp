// SPDX-License-Identifier: MIT
// Calling a program: one point, many points, rows in threads.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cstdint>
#include <functional>

#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "program/executor.hpp"
#include "program/passes.hpp"
#include "program/threads.hpp"
#include "program/walk.hpp"

namespace boreon {
namespace {

constexpr std::size_t alignment = 8;  // doubles

double* aligned(double* p) {
  const auto address = reinterpret_cast<std::uintptr_t>(p);
  return p + ((64 - address % 64) % 64) / sizeof(double);
}

// Memory of a thread that grows to the largest function called in it. The pointer stands beside what owns it, since
// reading it must cost nothing.
thread_local constinit std::span<double> thread_memory;
std::span<double> grow_thread_memory(std::size_t size) {
  thread_local std::vector<double> owner;
  owner.resize(size + alignment);
  double* const begin = aligned(owner.data());
  return thread_memory = {begin, size};
}
std::span<double> thread_workspace(std::size_t size) {
  if (thread_memory.size() >= size) return thread_memory;
  return grow_thread_memory(size);
}

// Calls f(begin, end) on shares of 0 <= i < n that start at multiples of `step`. Every thread has several shares of its
// own, the same ones in the next call, so that it finds their numbers in its cache; one that is done takes those of
// others that started late or were interrupted.
template <class F>
void share(std::size_t n, std::size_t step, unsigned threads, const F& f) {
  constexpr std::size_t shares_each = 4;
  constexpr std::size_t least_share = 512;
  constexpr std::size_t most_threads = 64;
  const std::size_t steps = (n + step - 1) / step;
  const std::size_t count = std::max<std::size_t>(1, std::min<std::size_t>({threads, steps, most_threads}));
  if (count == 1) return f(std::size_t{0}, n);
  const std::size_t shares = std::clamp<std::size_t>(n / least_share, count, std::min(steps, shares_each * count));
  const auto bound = [&](std::size_t i) { return std::min(n, steps * i / shares * step); };
  struct alignas(64) Next {
    std::atomic<std::size_t> share;
  };
  std::array<Next, most_threads> next;
  const auto first = [&](std::size_t thread) { return shares * thread / count; };
  for (std::size_t t = 0; t < count; ++t) next[t].share = first(t);
  run_in_threads(count, [&](std::size_t thread) {
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t owner = (thread + k) % count;
      for (std::size_t i = next[owner].share++; i < first(owner + 1); i = next[owner].share++)
        f(bound(i), bound(i + 1));
    }
  });
}

// All instructions, then all rows.
void run_point(const Executor& executor, const Program& program, const double* const* in, double* const* out,
               double* work) {
  double* const scratch = work + executor.workspace();
  executor.instructions(in, out, scratch, work);
  for (std::size_t l = 0; l < program.loops.size(); ++l)
    executor.rows(l, 0, program.loops[l].rows, in, out, scratch, work);
}

constexpr std::size_t cache_doubles = 8192;  // 64 kB

// Points that are copied at once, in tiles of `lanes`.
struct Span {
  std::size_t first;
  std::size_t count;
  std::size_t lanes;
  bool again;  // not the first of a thread: what is the same for all points is there
};

template <class T>
void pointers(const std::vector<Program::Group>& groups, double* first, std::vector<T>& list) {
  for (const auto& g : groups) {
    list.push_back(first);
    first += g.size;
  }
}

// Tile t holds entry i of lane l at to[(t*entries_of_all + i)*lanes + l].
void copy_in(const PointsIn& from, std::size_t entries_of_group, const Span& s, std::size_t entries_of_all,
             double* to) {
  if (from.point_step == 0 && s.again) return;
  const auto copy = [&](const auto* data) {
    for (std::size_t i = 0; i < entries_of_group; ++i) {
      const auto* source = data + static_cast<std::ptrdiff_t>(i) * from.entry_step +
                           static_cast<std::ptrdiff_t>(s.first) * from.point_step;
      for (std::size_t done = 0; done < s.count;
           done += s.lanes, source += static_cast<std::ptrdiff_t>(s.lanes) * from.point_step) {
        double* const tile = to + (done / s.lanes * entries_of_all + i) * s.lanes;
        const std::size_t here = std::min(s.lanes, s.count - done);
        if (from.point_step == 1 && here == s.lanes) {
          for (std::size_t l = 0; l < s.lanes; ++l) tile[l] = static_cast<double>(source[l]);
        } else {
          for (std::size_t l = 0; l < s.lanes; ++l)
            tile[l] = static_cast<double>(source[static_cast<std::ptrdiff_t>(std::min(l, here - 1)) * from.point_step]);
        }
      }
    }
  };
  from.single != nullptr ? copy(from.single) : copy(from.data);
}

void copy_out(const PointsOut& to, std::size_t entries_of_group, const Span& s, std::size_t entries_of_all,
              const double* from) {
  const auto copy = [&](auto* data) {
    using T = std::remove_pointer_t<decltype(data)>;
    for (std::size_t i = 0; i < entries_of_group; ++i) {
      auto* target =
          data + static_cast<std::ptrdiff_t>(i) * to.entry_step + static_cast<std::ptrdiff_t>(s.first) * to.point_step;
      for (std::size_t done = 0; done < s.count;
           done += s.lanes, target += static_cast<std::ptrdiff_t>(s.lanes) * to.point_step) {
        const double* const tile = from + (done / s.lanes * entries_of_all + i) * s.lanes;
        const std::size_t here = std::min(s.lanes, s.count - done);
        if (to.point_step == 1) {
          for (std::size_t l = 0; l < here; ++l) target[l] = static_cast<T>(tile[l]);
        } else {
          for (std::size_t l = 0; l < here; ++l)
            target[static_cast<std::ptrdiff_t>(l) * to.point_step] = static_cast<T>(tile[l]);
        }
      }
    }
  };
  to.single != nullptr ? copy(to.single) : copy(to.data);
}

bool side_by_side(const PointsIn& g) { return g.single == nullptr && (g.point_step == 1 || g.point_step == 0); }

// Where each entry stands when the numbers of neighbouring points are neighbours in memory.
struct SideBySide {
  std::vector<const double*> in;
  std::vector<double*> out;
  std::uint64_t same = 0;      // input groups with one set of entries for all points
  std::vector<double> memory;  // for what is computed from them

  bool find(const Program& p, std::span<const PointsIn> inputs, std::span<const PointsOut> outputs) {
    if (inputs.size() > 64) return false;
    same = 0;
    in.clear();
    out.clear();
    for (std::size_t g = 0; g < inputs.size(); ++g) {
      const PointsIn& from = inputs[g];
      if (!side_by_side(from)) return false;
      if (from.point_step == 0) same |= std::uint64_t{1} << g;
      append(in, from, p.inputs[g].size);
    }
    for (std::size_t g = 0; g < outputs.size(); ++g) {
      if (outputs[g].single != nullptr || outputs[g].point_step != 1) return false;
      append(out, outputs[g], p.outputs[g].size);
    }
    return true;
  }

  double* workspace(std::size_t size) {
    if (memory.size() < size) memory.resize(size);
    return memory.data();
  }

 private:
  template <class Pointer, class Group>
  static void append(std::vector<Pointer>& list, const Group& g, std::size_t entries) {
    const std::size_t begin = list.size();
    list.resize(begin + entries);
    for (std::size_t i = 0; i < entries; ++i) list[begin + i] = g.data + static_cast<std::ptrdiff_t>(i) * g.entry_step;
  }
};

// Whether only the outputs keep neighbouring points apart: structures of doubles, such as the rows of a Jacobian.
bool structures_out(std::span<const PointsIn> inputs, std::span<const PointsOut> outputs) {
  return std::all_of(inputs.begin(), inputs.end(), side_by_side) &&
         std::all_of(outputs.begin(), outputs.end(), [](const PointsOut& g) { return g.single == nullptr; });
}

// Points behind `first`.
template <class Group>
Group from_point(const Group& g, std::size_t first) {
  Group moved = g;
  moved.data += static_cast<std::ptrdiff_t>(first) * g.point_step;
  return moved;
}

// From neighbours in memory to structures, each written in one stretch; short ones with their length known.
template <std::size_t n>
void scatter_short(const double* from, std::size_t points, double* target, std::ptrdiff_t step) {
  for (std::size_t k = 0; k < points; ++k, target += step) {
    for (std::size_t i = 0; i < n; ++i) target[i] = from[i * points + k];
  }
}

void scatter(const double* from, std::size_t entries, std::size_t points, const PointsOut& to) {
  if (to.entry_step == 1) {
    switch (entries) {
      case 1: return scatter_short<1>(from, points, to.data, to.point_step);
      case 2: return scatter_short<2>(from, points, to.data, to.point_step);
      case 3: return scatter_short<3>(from, points, to.data, to.point_step);
      case 4: return scatter_short<4>(from, points, to.data, to.point_step);
      case 5: return scatter_short<5>(from, points, to.data, to.point_step);
      case 6: return scatter_short<6>(from, points, to.data, to.point_step);
      case 7: return scatter_short<7>(from, points, to.data, to.point_step);
      case 8: return scatter_short<8>(from, points, to.data, to.point_step);
      default: break;
    }
  }
  for (std::size_t i = 0; i < entries; ++i) {
    double* target = to.data + static_cast<std::ptrdiff_t>(i) * to.entry_step;
    const double* const source = from + i * points;
    for (std::size_t k = 0; k < points; ++k, target += to.point_step) *target = source[k];
  }
}

bool overlap(const Program& p, std::size_t points, std::span<const PointsIn> inputs,
             std::span<const PointsOut> outputs) {
  const auto range = [&](const auto& g, std::size_t size) {
    const std::ptrdiff_t entries_reach = static_cast<std::ptrdiff_t>(size == 0 ? 0 : size - 1) * g.entry_step;
    const std::ptrdiff_t reach = static_cast<std::ptrdiff_t>(points - 1) * g.point_step;
    const double* const low = g.data + std::min<std::ptrdiff_t>(0, entries_reach) + std::min<std::ptrdiff_t>(0, reach);
    const double* const high =
        g.data + std::max<std::ptrdiff_t>(0, entries_reach) + std::max<std::ptrdiff_t>(0, reach) + 1;
    return std::pair(low, high);
  };
  for (std::size_t i = 0; i < inputs.size(); ++i) {
    for (std::size_t o = 0; o < outputs.size(); ++o) {
      if (p.inputs[i].size == 0 || p.outputs[o].size == 0) continue;
      const auto a = range(inputs[i], p.inputs[i].size);
      const auto b = range(outputs[o], p.outputs[o].size);
      if (std::less<>()(a.first, b.second) && std::less<>()(b.first, a.second)) return true;
    }
  }
  return false;
}

}  // namespace

Kernel::Kernel(Program program)
    : program_(std::make_shared<const Program>(std::move(program))), executor_(make_interpreter(program_)) {
  input_groups_ = program_->inputs.size();
  output_groups_ = program_->outputs.size();
}
Kernel::Kernel(std::shared_ptr<const Program> program, std::shared_ptr<const Executor> executor)
    : program_(std::move(program)), executor_(std::move(executor)) {
  input_groups_ = program_->inputs.size();
  output_groups_ = program_->outputs.size();
  if (!program_->loops.empty()) return;
  const Executor::DirectCode code = executor_->code();
  code_ = code.call;
  code_workspace_ = code.workspace;
}

const Program& Kernel::program() const noexcept { return *program_; }
std::size_t Kernel::workspace_size() const noexcept {
  return executor_->workspace() + program_->scratch_size() + 2 * alignment;
}
std::string Kernel::method() const { return executor_->method(); }
std::string Kernel::listing() const { return executor_->listing(); }

void Kernel::wrong_shapes(std::size_t inputs, std::size_t outputs) const {
  if (inputs != program_->inputs.size())
    throw Error(ErrorKind::shape,
                fmt::format("the function takes {} input groups, got {}", program_->inputs.size(), inputs));
  if (outputs != program_->outputs.size())
    throw Error(ErrorKind::shape,
                fmt::format("the function has {} output groups, got {}", program_->outputs.size(), outputs));
}

void Kernel::check_workspace(std::size_t size) const {
  if (size < workspace_size())
    throw Error(ErrorKind::shape, fmt::format("the workspace has {} doubles, {} are needed: see workspace_size()", size,
                                              workspace_size()));
}

void Kernel::operator()(std::initializer_list<std::span<const double>> inputs,
                        std::initializer_list<std::span<double>> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  const auto pointers_of = [](const auto& lists, const std::vector<Program::Group>& groups, const char* kind,
                              auto& list) {
    for (const auto& l : lists) {
      const Program::Group& g = groups[list.size()];
      if (l.size() != g.size)
        throw Error(ErrorKind::shape,
                    fmt::format("the {} group '{}' has {} entries, got {}", kind, g.name, g.size, l.size()));
      list.push_back(l.data());
    }
  };
  thread_local std::vector<const double*> in;  // keep their memory from call to call
  thread_local std::vector<double*> out;
  in.clear();
  out.clear();
  pointers_of(inputs, program_->inputs, "input", in);
  pointers_of(outputs, program_->outputs, "output", out);
  (*this)(in, out);
}

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  if (code_ == nullptr) return (*this)(inputs, outputs, thread_workspace(workspace_size()));
  const CallFrame frame{
      inputs.data(), outputs.data(), nullptr, thread_workspace(code_workspace_).data(), nullptr, 0, 0};
  code_(&frame);
}

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs,
                        std::span<double> workspace) const {
  check_shapes(inputs.size(), outputs.size());
  check_workspace(workspace.size());
  if (code_ == nullptr)
    return run_point(*executor_, *program_, inputs.data(), outputs.data(), aligned(workspace.data()));
  const CallFrame frame{inputs.data(), outputs.data(), nullptr, aligned(workspace.data()), nullptr, 0, 0};
  code_(&frame);
}

void Kernel::in_threads(unsigned threads, std::span<const double* const> inputs,
                        std::span<double* const> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  const std::size_t need = executor_->workspace() + 2 * alignment;
  thread_local std::vector<double> scratch_of_thread;  // not within the memory that the shares of this thread use
  std::vector<double>& scratch = scratch_of_thread;
  if (scratch.size() < program_->scratch_size()) scratch.resize(program_->scratch_size());
  executor_->instructions(inputs.data(), outputs.data(), scratch.data(), aligned(thread_workspace(need).data()));
  for (std::size_t l = 0; l < program_->loops.size(); ++l) {
    // Cutting short loops costs more than it brings.
    share(program_->loops[l].rows, std::max<std::size_t>(512, executor_->row_tile()), threads,
          [&](std::size_t begin, std::size_t end) {
            executor_->rows(l, begin, end, inputs.data(), outputs.data(), scratch.data(),
                            aligned(thread_workspace(need).data()));
          });
  }
}

void Kernel::operator()(std::span<const float* const> inputs, std::span<float* const> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  thread_local std::vector<PointsIn> in;
  thread_local std::vector<PointsOut> out;
  in.clear();
  out.clear();
  for (const float* p : inputs) in.emplace_back(p, 1, 0);
  for (float* p : outputs) out.emplace_back(p, 1, 0);
  many(1, in, out);
}

void Kernel::many(std::size_t points, std::span<const PointsIn> inputs, std::span<const PointsOut> outputs,
                  unsigned threads) const {
  check_shapes(inputs.size(), outputs.size());
  const Program& p = *program_;
  const std::size_t lanes = p.loops.empty() ? executor_->lanes() : 1;
  const std::size_t in_size = entry_count(p.inputs);
  const std::size_t out_size = entry_count(p.outputs);
  // Where entries stand side by side nothing has to be copied.
  thread_local SideBySide of_thread;  // keeps its memory from call to call
  SideBySide& entries = of_thread;
  const bool direct =
      lanes > 1 && points >= lanes && entries.find(p, inputs, outputs) && !overlap(p, points, inputs, outputs);
  if (!direct && lanes > 1 && points >= 4 * lanes && structures_out(inputs, outputs) &&
      !overlap(p, points, inputs, outputs)) {
    constexpr std::size_t block = 512;
    share(points, block, threads, [&](std::size_t begin, std::size_t end) {
      thread_local std::vector<double> side_by_side;
      side_by_side.resize(out_size * block);
      for (std::size_t first = begin; first < end; first += block) {
        const std::size_t here = std::min(block, end - first);
        std::vector<PointsIn> in;
        std::vector<PointsOut> out;
        for (const PointsIn& g : inputs) in.push_back(from_point(g, first));
        double* at = side_by_side.data();
        for (const Program::Group& g : p.outputs) {
          out.emplace_back(at, static_cast<std::ptrdiff_t>(here), 1);
          at += g.size * here;
        }
        many(here, in, out);
        for (std::size_t g = 0; g < outputs.size(); ++g)
          scatter(out[g].data, p.outputs[g].size, here, from_point(outputs[g], first));
      }
    });
    return;
  }
  const double* const* const direct_in =
      direct ? executor_->prepare(entries.in.data(), entries.same, entries.workspace(executor_->workspace())) : nullptr;
  // Several tiles between copying in and copying out: long stretches of each entry, all within the second cache.
  const std::size_t tiles =
      lanes == 1 ? 1 : std::clamp<std::size_t>(cache_doubles / ((in_size + out_size + 1) * lanes), 1, 16);
  share(points, lanes, threads, [&](std::size_t begin, std::size_t end) {
    const std::span<double> memory =
        thread_workspace(workspace_size() + (in_size + out_size) * lanes * tiles + 3 * alignment);
    double* const in = aligned(memory.data());
    double* const out = aligned(in + in_size * lanes * tiles);
    double* const work = aligned(out + out_size * lanes * tiles);
    if (direct && (begin = executor_->points(direct_in, entries.out.data(), entries.same, begin, end, work)) == end)
      return;
    thread_local std::vector<const double*> in_groups;  // keep their memory
    thread_local std::vector<double*> out_groups;
    if (lanes == 1) {
      in_groups.clear();
      out_groups.clear();
      pointers(p.inputs, in, in_groups);
      pointers(p.outputs, out, out_groups);
    }
    const std::size_t first = begin;
    for (std::size_t point = first; point < end; point += lanes * tiles) {
      const Span now{point, std::min(lanes * tiles, end - point), lanes, point != first};
      std::size_t at = 0;
      for (std::size_t g = 0; g < inputs.size(); ++g) {
        copy_in(inputs[g], p.inputs[g].size, now, in_size, in + at * lanes);
        at += p.inputs[g].size;
      }
      for (std::size_t t = 0; t * lanes < now.count; ++t) {
        if (lanes > 1) {
          executor_->tile(in + t * in_size * lanes, out + t * out_size * lanes, work);
          continue;
        }
        run_point(*executor_, p, in_groups.data(), out_groups.data(), work);
      }
      at = 0;
      for (std::size_t g = 0; g < outputs.size(); ++g) {
        copy_out(outputs[g], p.outputs[g].size, now, out_size, out + at * lanes);
        at += p.outputs[g].size;
      }
    }
  });
}

std::vector<std::vector<double>> Kernel::evaluate(const std::vector<std::vector<double>>& inputs) const {
  check_inputs(*program_, inputs);
  std::vector<const double*> in;
  for (const auto& g : inputs) in.push_back(g.data());
  std::vector<std::vector<double>> results;
  std::vector<double*> out;
  for (const auto& g : program_->outputs) results.emplace_back(g.size);
  for (auto& r : results) out.push_back(r.data());
  (*this)(in, out);
  return results;
}

Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs) {
  return Kernel(make_program(outputs, inputs));
}

}  // namespace boreon
