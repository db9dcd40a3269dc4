// SPDX-License-Identifier: MIT
#include "boreon/kernel.h"

#include <algorithm>
#include <cstring>
#include <exception>
#include <memory>

#include "boreon/calculus.hpp"
#include "boreon/model.hpp"
#include "boreon/native.hpp"
#include "boreon/work.hpp"

using namespace boreon;

struct boreon_kernel {
  System system;
  SparseMatrix jacobian;
  SparseMatrix::Columns columns;
  double from = 0;
  Kernel residual{Program{}};
  Kernel both{Program{}};
  Kernel outputs{Program{}};
};

namespace {

const char* name(const std::vector<std::string>& names, int i) {
  return i >= 0 && static_cast<std::size_t>(i) < names.size() ? names[static_cast<std::size_t>(i)].c_str() : nullptr;
}

void say(char* message, std::size_t length, const char* text) {
  if (message == nullptr || length == 0) return;
  std::strncpy(message, text, length - 1);
  message[length - 1] = '\0';
}

}  // namespace

extern "C" {

boreon_kernel* boreon_open(const char* model_file, char* message, size_t length) {
  try {
    auto k = std::make_unique<boreon_kernel>();
    const Model model = load_model(model_file);
    k->system = system_of(model);
    const System& s = k->system;
    const std::vector<Expr>& f = s.right_sides.empty() ? s.residuals : s.right_sides;
    k->jacobian = sparse_jacobian(f, s.states);
    k->columns = k->jacobian.columns();
    const std::vector<InputGroup> inputs{
        {"y", s.states, s.state_names}, {"p", s.parameters, s.parameter_names}, {"t", {s.time}}};
    const NativeOptions options{.expected_calls = 1e6};
    k->residual = compile({OutputGroup("f", f)}, inputs, options);
    k->both = compile({OutputGroup("f", f), OutputGroup::by_columns("j", k->jacobian)}, inputs, options);
    k->outputs = compile({OutputGroup("g", s.outputs)}, inputs, options);
    return k.release();
  } catch (const std::exception& e) {
    say(message, length, e.what());
  } catch (const Stopped& s) {
    say(message, length, s.error().what());
  } catch (...) {
    say(message, length, "unknown failure");
  }
  return nullptr;
}

void boreon_close(boreon_kernel* kernel) { delete kernel; }

int boreon_unknowns(const boreon_kernel* kernel) { return static_cast<int>(kernel->system.states.size()); }
int boreon_parameters(const boreon_kernel* kernel) { return static_cast<int>(kernel->system.parameters.size()); }
int boreon_outputs(const boreon_kernel* kernel) { return static_cast<int>(kernel->system.outputs.size()); }
int boreon_nonzeros(const boreon_kernel* kernel) { return static_cast<int>(kernel->jacobian.values.size()); }

const char* boreon_unknown_name(const boreon_kernel* kernel, int i) { return name(kernel->system.state_names, i); }
const char* boreon_parameter_name(const boreon_kernel* kernel, int i) {
  return name(kernel->system.parameter_names, i);
}
const char* boreon_output_name(const boreon_kernel* kernel, int i) { return name(kernel->system.output_names, i); }

void boreon_start(const boreon_kernel* kernel, double* y, double* p) {
  std::copy(kernel->system.start.begin(), kernel->system.start.end(), y);
  std::copy(kernel->system.parameter_values.begin(), kernel->system.parameter_values.end(), p);
}

void boreon_pattern(const boreon_kernel* kernel, int* column_start, int* row) {
  std::transform(kernel->columns.column_start.begin(), kernel->columns.column_start.end(), column_start,
                 [](auto v) { return static_cast<int>(v); });
  std::transform(kernel->columns.rows.begin(), kernel->columns.rows.end(), row,
                 [](auto v) { return static_cast<int>(v); });
}

void boreon_residual(const boreon_kernel* kernel, const double* y, const double* p, double t, double* f) {
  const double* in[] = {y, p, &t};
  double* out[] = {f};
  kernel->residual(in, out);
}

void boreon_residual_and_jacobian(const boreon_kernel* kernel, const double* y, const double* p, double t, double* f,
                                  double* j) {
  const double* in[] = {y, p, &t};
  double* out[] = {f, j};
  kernel->both(in, out);
}

void boreon_output_values(const boreon_kernel* kernel, const double* y, const double* p, double t, double* g) {
  const double* in[] = {y, p, &t};
  double* out[] = {g};
  kernel->outputs(in, out);
}

}  // extern "C"
