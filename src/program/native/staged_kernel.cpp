// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>

#include "boreon/error.hpp"
#include "boreon/native.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_groups = 64;

// The pointers of a call and one more, without allocating.
template <class Pointer>
struct Extended {
  Extended(std::span<Pointer const> pointers, Pointer last) : count(pointers.size() + 1) {
    std::copy(pointers.begin(), pointers.end(), all.begin());
    all[count - 1] = last;
  }
  operator std::span<Pointer const>() const {
    return {all.data(), count};
  }  // NOLINT(google-explicit-constructor): stands for them

  std::array<Pointer, most_groups> all;
  std::size_t count;
};

}  // namespace

StagedKernel::StagedKernel(const Program& program, std::span<const std::string> fixed_groups,
                           const NativeOptions& options)
    : main_(Program{}) {
  StagedPrograms staged = stage(program, fixed_groups);
  for (std::size_t g = 0; g < program.inputs.size(); ++g) {
    if (std::find(fixed_groups.begin(), fixed_groups.end(), program.inputs[g].name) != fixed_groups.end())
      fixed_.push_back(g);
  }
  prepared_.resize(staged.prepare.outputs[0].size);
  if (!prepared_.empty()) prepare_.emplace(std::move(staged.prepare));
  if (staged.main.inputs.size() > most_groups) throw Error(ErrorKind::limit, "too many input groups");
  main_ = native_kernel(std::move(staged.main), options);
}

void StagedKernel::prepare(std::span<const double* const> inputs) {
  if (!prepare_) return;
  std::vector<const double*> fixed;
  for (const std::size_t g : fixed_) fixed.push_back(inputs[g]);
  double* out[] = {prepared_.data()};
  (*prepare_)(fixed, out);
}

void StagedKernel::operator()(std::span<const double* const> inputs, std::span<double* const> outputs) const {
  main_(Extended<const double*>(inputs, prepared_.data()), outputs);
}

SplitKernel::SplitKernel(const Program& program, std::span<const std::string> first_groups,
                         const NativeOptions& options)
    : first_(Program{}), second_(Program{}) {
  SplitPrograms programs = split(program, first_groups);
  if (std::max(programs.first.outputs.size(), programs.second.inputs.size()) > most_groups)
    throw Error(ErrorKind::limit, "too many groups");
  kept_.resize(programs.first.outputs.back().size);
  first_ = native_kernel(std::move(programs.first), options);
  second_ = native_kernel(std::move(programs.second), options);
}

void SplitKernel::first(std::span<const double* const> inputs, std::span<double* const> outputs) {
  first_(inputs, Extended<double*>(outputs, kept_.data()));
}
void SplitKernel::second(std::span<const double* const> inputs, std::span<double* const> outputs) const {
  second_(Extended<const double*>(inputs, kept_.data()), outputs);
}

}  // namespace boreon
