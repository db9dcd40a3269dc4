// SPDX-License-Identifier: MIT
// A run that looks at every value.
#include <fmt/format.h>

#include <cmath>

#include "boreon/catalogue.hpp"
#include "program/builder.hpp"
#include "program/executor.hpp"
#include "program/walk.hpp"

namespace boreon {
namespace {

struct WatchedDoubles {
  using Value = double;
  const Program& whole;
  std::vector<DomainFault>& faults;
  std::size_t limit;

  [[nodiscard]] static double constant(double v) { return v; }
  [[nodiscard]] static double apply(const Instruction& i, double a, double b, double c) {
    return execute(i.op, i.function, i.operands, a, b, c);
  }
  static void sine_cosine(double a, double& sine, double& cosine) {
    sine = std::sin(a);
    cosine = std::cos(a);
  }
  template <class Read>
  void done(const Step& step, double value, const Read& operand) {
    if (std::isfinite(value) || faults.size() >= limit) return;
    const Instruction& i = step.program->instructions[step.instruction];
    const Operand operands[] = {i.a, i.b, i.c};
    std::string values;
    for (std::size_t k = 0; k < i.operands; ++k) {
      const double v = operand(operands[k]);
      if (!std::isfinite(v)) return;  // the fault came earlier
      if (operands[k].space == 0) continue;
      const std::string name =
          operands[k].space == 1 ? subexpression_text({step.program, operands[k].index, step.loop, step.row}, whole, 40)
                                 : entry_name(step, whole, operands[k]);
      values += fmt::format("{}{} = {:.6g}", values.empty() ? "" : ", ", name, v);
    }
    faults.push_back({subexpression_text(step, whole), values, value, dependent_outputs(step, whole, 4)});
  }
};

struct ComplexNumbers {
  using Value = std::complex<double>;
  [[nodiscard]] static Value constant(double v) { return v; }
  [[nodiscard]] static Value apply(const Instruction& i, Value a, Value b, Value c) {
    return execute(i.op, a, b, c, [&] {
      const Value args[] = {a, b};
      return evaluate_complex(row_of(i.function), {args, i.operands});
    });
  }
  static void sine_cosine(Value a, Value& sine, Value& cosine) {
    sine = std::sin(a);
    cosine = std::cos(a);
  }
  template <class Read>
  static void done(const Step&, const Value&, const Read&) {}
};

}  // namespace

std::vector<DomainFault> diagnose(const Program& program, const std::vector<std::vector<double>>& inputs,
                                  std::size_t limit) {
  check_inputs(program, inputs);
  std::vector<DomainFault> faults;
  WatchedDoubles domain{program, faults, limit};
  (void)Walk<WatchedDoubles>(program, domain, inputs).run();
  return faults;
}

void Kernel::operator()(std::span<const std::complex<double>* const> inputs,
                        std::span<std::complex<double>* const> outputs) const {
  check_shapes(inputs.size(), outputs.size());
  if (const Kernel* const parts = executor_->complex(); parts != nullptr) {
    // std::complex is an array of two numbers
    thread_local std::vector<const double*> in;
    thread_local std::vector<double*> out;
    in.clear();
    out.clear();
    for (const auto* p : inputs) in.push_back(reinterpret_cast<const double*>(p));
    for (auto* p : outputs) out.push_back(reinterpret_cast<double*>(p));
    return (*parts)(in, out);
  }
  ComplexNumbers domain;
  Walk<ComplexNumbers>::Groups in;
  for (std::size_t g = 0; g < inputs.size(); ++g) in.emplace_back(inputs[g], inputs[g] + program_->inputs[g].size);
  const auto out = Walk<ComplexNumbers>(*program_, domain, in).run();
  for (std::size_t g = 0; g < out.size(); ++g) std::copy(out[g].begin(), out[g].end(), outputs[g]);
}

}  // namespace boreon
