// Calling a program: one point, many points, rows in threads.
#include <fmt/format.h>

#include <algorithm>
#include <cstdint>
#include <thread>

#include "boreon/error.hpp"
#include "boreon/program.hpp"
#include "program/executor.hpp"

namespace boreon {
namespace {

constexpr std::size_t alignment = 8;  // doubles

double* aligned(double* p) {
  const auto address = reinterpret_cast<std::uintptr_t>(p);
  return p + ((64 - address % 64) % 64) / sizeof(double);
}

// Memory of a thread that grows to the largest function called in it.
std::span<double> thread_workspace(std::size_t size) {
  thread_local std::vector<double> memory;
  if (memory.size() < size) memory.resize(size);
  return memory;
}

// Calls f(begin, end) on shares of 0 <= i < n that start at multiples of `step`.
template <class F>
void share(std::size_t n, std::size_t step, unsigned threads, const F& f) {
  const std::size_t steps = (n + step - 1) / step;
  const std::size_t count = std::max<std::size_t>(1, std::min<std::size_t>(threads, steps));
  const auto bound = [&](std::size_t i) { return std::min(n, steps * i / count * step); };
  std::vector<std::thread> others;
  for (std::size_t i = 1; i < count; ++i) others.emplace_back([&f, &bound, i] { f(bound(i), bound(i + 1)); });
  f(bound(0), bound(1));
  for (auto& t : others) t.join();
}

std::size_t entries(const std::vector<Program::Group>& groups) {
  std::size_t n = 0;
  for (const auto& g : groups) n += g.size;
  return n;
}

}  // namespace

Kernel::Kernel(Program program) : program_(std::make_shared<const Program>(std::move(program))), executor_(make_interpreter(program_)) {}
Kernel::Kernel(std::shared_ptr<const Program> program, std::shared_ptr<const Executor> executor) : program_(std::move(program)), executor_(std::move(executor)) {}

const Program& Kernel::program() const noexcept { return *program_; }
std::size_t Kernel::workspace_size() const noexcept { return executor_->workspace() + program_->scratch.size() + 2 * alignment; }
std::string Kernel::method() const { return executor_->method(); }
std::string Kernel::listing() const { return executor_->listing(); }

void Kernel::check_shapes(std::size_t inputs, std::size_t outputs) const {
  if (inputs != program_->inputs.size()) throw Error(ErrorKind::shape, fmt::format("the function takes {} input groups, got {}", program_->inputs.size(), inputs));
  if (outputs != program_->outputs.size()) throw Error(ErrorKind::shape, fmt::format("the function has {} output groups, got {}", program_->outputs.size(), outputs));
}

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const { (*this)(inputs, outputs, thread_workspace(workspace_size())); }

void Kernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs, std::span<double> workspace) const {
  double* const work = aligned(workspace.data());
  double* const scratch = work + executor_->workspace();
  executor_->instructions(inputs.data(), outputs.data(), scratch, work);
  for (std::size_t l = 0; l < program_->loops.size(); ++l) executor_->rows(l, 0, program_->loops[l].rows, inputs.data(), outputs.data(), scratch, work);
}

void Kernel::in_threads(unsigned threads, std::span<const double* const> inputs, std::span<double* const> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  const std::size_t need = executor_->workspace() + 2 * alignment;
  std::vector<double> scratch(program_->scratch.size());
  executor_->instructions(inputs.data(), outputs.data(), scratch.data(), aligned(thread_workspace(need).data()));
  for (std::size_t l = 0; l < program_->loops.size(); ++l) {
    // Cutting short loops costs more than it brings.
    share(program_->loops[l].rows, std::max<std::size_t>(512, executor_->row_tile()), threads, [&](std::size_t begin, std::size_t end) {
      executor_->rows(l, begin, end, inputs.data(), outputs.data(), scratch.data(), aligned(thread_workspace(need).data()));
    });
  }
}

void Kernel::operator()(std::span<const float* const> inputs, std::span<float* const> outputs) const {
  std::vector<PointsIn> in;
  std::vector<PointsOut> out;
  for (const float* p : inputs) in.emplace_back(p, 1, 0);
  for (float* p : outputs) out.emplace_back(p, 1, 0);
  many(1, in, out);
}

void Kernel::many(std::size_t points, std::span<const PointsIn> inputs, std::span<const PointsOut> outputs, unsigned threads) const {
  check_shapes(inputs.size(), outputs.size());
  const Program& p = *program_;
  const std::size_t lanes = p.loops.empty() ? executor_->lanes() : 1;
  const std::size_t in_size = entries(p.inputs);
  const std::size_t out_size = entries(p.outputs);
  share(points, lanes, threads, [&](std::size_t begin, std::size_t end) {
    const std::span<double> memory = thread_workspace(workspace_size() + (in_size + out_size) * lanes + 3 * alignment + p.inputs.size() + p.outputs.size());
    double* const in = aligned(memory.data());
    double* const out = aligned(in + in_size * lanes);
    double* const work = aligned(out + out_size * lanes);
    double* const scratch = work + executor_->workspace();
    std::vector<const double*> in_groups;
    std::vector<double*> out_groups;
    if (lanes == 1) {
      std::size_t at = 0;
      for (const auto& g : p.inputs) {
        in_groups.push_back(in + at);
        at += g.size;
      }
      at = 0;
      for (const auto& g : p.outputs) {
        out_groups.push_back(out + at);
        at += g.size;
      }
    }
    for (std::size_t point = begin; point < end; point += lanes) {
      const std::size_t count = std::min(lanes, end - point);
      double* to = in;
      for (std::size_t g = 0; g < inputs.size(); ++g) {
        const PointsIn& from = inputs[g];
        const std::size_t size = p.inputs[g].size;
        if (from.point_step == 0 && point != begin) {  // parameters stay where they are
          to += size * lanes;
          continue;
        }
        const auto copy = [&](const auto* data) {
          for (std::size_t i = 0; i < size; ++i, to += lanes) {
            const auto* const source = data + static_cast<std::ptrdiff_t>(i) * from.entry_step + static_cast<std::ptrdiff_t>(point) * from.point_step;
            if (from.point_step == 1 && count == lanes) {
              for (std::size_t l = 0; l < lanes; ++l) to[l] = static_cast<double>(source[l]);
            } else {
              for (std::size_t l = 0; l < lanes; ++l) to[l] = static_cast<double>(source[static_cast<std::ptrdiff_t>(std::min(l, count - 1)) * from.point_step]);
            }
          }
        };
        from.single != nullptr ? copy(from.single) : copy(from.data);
      }
      if (lanes == 1) {
        executor_->instructions(in_groups.data(), out_groups.data(), scratch, work);
        for (std::size_t l = 0; l < p.loops.size(); ++l) executor_->rows(l, 0, p.loops[l].rows, in_groups.data(), out_groups.data(), scratch, work);
      } else {
        executor_->tile(in, out, work);
      }
      const double* from = out;
      for (std::size_t g = 0; g < outputs.size(); ++g) {
        const PointsOut& target = outputs[g];
        const auto copy = [&](auto* data) {
          using T = std::remove_pointer_t<decltype(data)>;
          for (std::size_t i = 0; i < p.outputs[g].size; ++i, from += lanes) {
            auto* const there = data + static_cast<std::ptrdiff_t>(i) * target.entry_step + static_cast<std::ptrdiff_t>(point) * target.point_step;
            if (target.point_step == 1 && count == lanes) {
              for (std::size_t l = 0; l < lanes; ++l) there[l] = static_cast<T>(from[l]);
            } else {
              for (std::size_t l = 0; l < count; ++l) there[static_cast<std::ptrdiff_t>(l) * target.point_step] = static_cast<T>(from[l]);
            }
          }
        };
        target.single != nullptr ? copy(target.single) : copy(target.data);
      }
    }
  });
}

std::vector<std::vector<double>> Kernel::evaluate(const std::vector<std::vector<double>>& inputs) const {
  check_shapes(inputs.size(), program_->outputs.size());
  std::vector<const double*> in;
  for (std::size_t g = 0; g < inputs.size(); ++g) {
    const auto& group = program_->inputs[g];
    if (inputs[g].size() != group.size) {
      throw Error(ErrorKind::shape, fmt::format("the input group '{}' has {} entries, got {}", group.name, group.size, inputs[g].size()));
    }
    in.push_back(inputs[g].data());
  }
  std::vector<std::vector<double>> results;
  std::vector<double*> out;
  for (const auto& g : program_->outputs) results.emplace_back(g.size);
  for (auto& r : results) out.push_back(r.data());
  (*this)(in, out);
  return results;
}

Kernel compile(std::vector<OutputGroup> outputs, std::vector<InputGroup> inputs) { return Kernel(make_program(outputs, inputs)); }

}  // namespace boreon
