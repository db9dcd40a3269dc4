// SPDX-License-Identifier: MIT
#include "program/native/functions.hpp"

#include <cmath>
#include <string_view>
#include <vector>

#include "boreon/catalogue.hpp"

// glibc's vector functions by their names in the x86-64 vector function ABI.
#define BOREON_VECTOR(name, kind)           \
  extern "C" void _ZGVdN4##kind##_##name(); \
  extern "C" void _ZGVeN8##kind##_##name();
BOREON_VECTOR(acos, v)
BOREON_VECTOR(acosh, v)
BOREON_VECTOR(asin, v)
BOREON_VECTOR(asinh, v)
BOREON_VECTOR(atan, v)
BOREON_VECTOR(atanh, v)
BOREON_VECTOR(cbrt, v)
BOREON_VECTOR(cos, v)
BOREON_VECTOR(cosh, v)
BOREON_VECTOR(erf, v)
BOREON_VECTOR(erfc, v)
BOREON_VECTOR(exp, v)
BOREON_VECTOR(log, v)
BOREON_VECTOR(log10, v)
BOREON_VECTOR(sin, v)
BOREON_VECTOR(sinh, v)
BOREON_VECTOR(tan, v)
BOREON_VECTOR(tanh, v)
BOREON_VECTOR(atan2, vv)
BOREON_VECTOR(hypot, vv)
BOREON_VECTOR(pow, vv)
#undef BOREON_VECTOR

namespace boreon::native {
namespace {

struct Named {
  std::string_view name;
  LibraryFunction function;
};

using One = double (*)(double);
using Two = double (*)(double, double);

const void* address(One f) { return reinterpret_cast<const void*>(f); }
const void* address(Two f) { return reinterpret_cast<const void*>(f); }

#define BOREON_ROW(name, type, kind)                                                              \
  {                                                                                               \
#name, {                                                                                      \
      address(static_cast<type>(::name)), reinterpret_cast<const void*>(&_ZGVdN4##kind##_##name), \
          reinterpret_cast<const void*>(&_ZGVeN8##kind##_##name)                                  \
    }                                                                                             \
  }
const Named library[] = {
    BOREON_ROW(acos, One, v), BOREON_ROW(acosh, One, v), BOREON_ROW(asin, One, v),   BOREON_ROW(asinh, One, v),
    BOREON_ROW(atan, One, v), BOREON_ROW(atanh, One, v), BOREON_ROW(cbrt, One, v),   BOREON_ROW(cos, One, v),
    BOREON_ROW(cosh, One, v), BOREON_ROW(erf, One, v),   BOREON_ROW(erfc, One, v),   BOREON_ROW(exp, One, v),
    BOREON_ROW(log, One, v),  BOREON_ROW(log10, One, v), BOREON_ROW(sin, One, v),    BOREON_ROW(sinh, One, v),
    BOREON_ROW(tan, One, v),  BOREON_ROW(tanh, One, v),  BOREON_ROW(atan2, Two, vv), BOREON_ROW(hypot, Two, vv),
    BOREON_ROW(pow, Two, vv),
};
#undef BOREON_ROW

const LibraryFunction* find(std::string_view name) {
  for (const Named& n : library) {
    if (n.name == name) return &n.function;
  }
  return nullptr;
}

}  // namespace

LibraryFunction library_function(OpCode op, std::uint16_t function, Sine half) {
  if (op == OpCode::power) return *find("pow");
  if (op == OpCode::sine_cosine) return *find(half == Sine::sine ? "sin" : "cos");
  static const std::vector<LibraryFunction> rows = [] {
    std::vector<LibraryFunction> r;
    for (const FunctionRow& row : catalogue()) {
      const LibraryFunction* f = find(row.name);
      r.push_back(f == nullptr ? LibraryFunction{} : *f);
    }
    return r;
  }();
  return function < rows.size() ? rows[function] : LibraryFunction{};  // numeric functions stand behind the catalogue
}

extern "C" void boreon_call_row(std::uint64_t function, std::uint64_t arity, const double* a, const double* b,
                                double* result, std::uint64_t n) noexcept {
  const FunctionRow& row = row_of(static_cast<std::uint16_t>(function));
  for (std::uint64_t i = 0; i < n; ++i) {
    const double arguments[] = {a[i], b[i]};
    try {
      result[i] = evaluate_real(row, {arguments, static_cast<std::size_t>(arity)});
    } catch (...) {
      result[i] = std::nan("");
    }
  }
}

}  // namespace boreon::native
