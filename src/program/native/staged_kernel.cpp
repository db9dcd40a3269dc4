#include <algorithm>

#include "boreon/error.hpp"
#include "boreon/native.hpp"

namespace boreon {

StagedKernel::StagedKernel(const Program& program, std::span<const std::string> fixed_groups, const NativeOptions& options) : main_(Program{}) {
  StagedPrograms staged = stage(program, fixed_groups);
  for (std::size_t g = 0; g < program.inputs.size(); ++g) {
    if (std::find(fixed_groups.begin(), fixed_groups.end(), program.inputs[g].name) != fixed_groups.end()) fixed_.push_back(g);
  }
  prepared_.resize(staged.prepare.outputs[0].size);
  if (!prepared_.empty()) prepare_.emplace(std::move(staged.prepare));
  groups_ = program.inputs.size();
  if (groups_ + 1 > most_groups) throw Error(ErrorKind::limit, "too many input groups");
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
  const double* all[most_groups];
  std::copy(inputs.begin(), inputs.end(), all);
  all[groups_] = prepared_.data();
  main_(std::span<const double* const>(all, groups_ + 1), outputs);
}

SplitKernel::SplitKernel(const Program& program, std::span<const std::string> first_groups, const NativeOptions& options) : first_(Program{}), second_(Program{}) {
  SplitPrograms programs = split(program, first_groups);
  if (std::max(programs.first.outputs.size(), programs.second.inputs.size()) > most_groups) throw Error(ErrorKind::limit, "too many groups");
  kept_.resize(programs.first.outputs.back().size);
  first_ = native_kernel(std::move(programs.first), options);
  second_ = native_kernel(std::move(programs.second), options);
}

void SplitKernel::first(std::span<const double* const> inputs, std::span<double* const> outputs) {
  double* all[most_groups];
  std::copy(outputs.begin(), outputs.end(), all);
  all[outputs.size()] = kept_.data();
  first_(inputs, std::span<double* const>(all, outputs.size() + 1));
}

void SplitKernel::second(std::span<const double* const> inputs, std::span<double* const> outputs) const {
  const double* all[most_groups];
  std::copy(inputs.begin(), inputs.end(), all);
  all[inputs.size()] = kept_.data();
  second_(std::span<const double* const>(all, inputs.size() + 1), outputs);
}

}  // namespace boreon
