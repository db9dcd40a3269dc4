// SPDX-License-Identifier: MIT
#include "program/c_names.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>

#include "boreon/error.hpp"
#include "boreon/symbol.hpp"

namespace boreon {
namespace {

template <std::size_t n>
constexpr std::array<std::string_view, n> sorted(std::array<std::string_view, n> words) {
  std::sort(words.begin(), words.end());
  return words;
}

// Keywords of C (to C23) and C++ (to C++23).
constexpr auto keywords = sorted(std::to_array<std::string_view>({"alignas",
                                                                  "alignof",
                                                                  "and",
                                                                  "and_eq",
                                                                  "asm",
                                                                  "auto",
                                                                  "bitand",
                                                                  "bitor",
                                                                  "bool",
                                                                  "break",
                                                                  "case",
                                                                  "catch",
                                                                  "char",
                                                                  "char8_t",
                                                                  "char16_t",
                                                                  "char32_t",
                                                                  "class",
                                                                  "compl",
                                                                  "concept",
                                                                  "const",
                                                                  "consteval",
                                                                  "constexpr",
                                                                  "constinit",
                                                                  "const_cast",
                                                                  "continue",
                                                                  "co_await",
                                                                  "co_return",
                                                                  "co_yield",
                                                                  "decltype",
                                                                  "default",
                                                                  "delete",
                                                                  "do",
                                                                  "double",
                                                                  "dynamic_cast",
                                                                  "else",
                                                                  "enum",
                                                                  "explicit",
                                                                  "export",
                                                                  "extern",
                                                                  "false",
                                                                  "float",
                                                                  "for",
                                                                  "friend",
                                                                  "goto",
                                                                  "if",
                                                                  "inline",
                                                                  "int",
                                                                  "long",
                                                                  "mutable",
                                                                  "namespace",
                                                                  "new",
                                                                  "noexcept",
                                                                  "not",
                                                                  "not_eq",
                                                                  "nullptr",
                                                                  "operator",
                                                                  "or",
                                                                  "or_eq",
                                                                  "private",
                                                                  "protected",
                                                                  "public",
                                                                  "register",
                                                                  "reinterpret_cast",
                                                                  "requires",
                                                                  "restrict",
                                                                  "return",
                                                                  "short",
                                                                  "signed",
                                                                  "sizeof",
                                                                  "static",
                                                                  "static_assert",
                                                                  "static_cast",
                                                                  "struct",
                                                                  "switch",
                                                                  "template",
                                                                  "this",
                                                                  "thread_local",
                                                                  "throw",
                                                                  "true",
                                                                  "try",
                                                                  "typedef",
                                                                  "typeid",
                                                                  "typename",
                                                                  "typeof",
                                                                  "typeof_unqual",
                                                                  "union",
                                                                  "unsigned",
                                                                  "using",
                                                                  "virtual",
                                                                  "void",
                                                                  "volatile",
                                                                  "wchar_t",
                                                                  "while",
                                                                  "xor",
                                                                  "xor_eq",
                                                                  "linux",
                                                                  "unix"}));

// <math.h> with what Unix adds to it, what the tests of a package use of <stdio.h>, and the parts of a C++ source. Each
// stands for its forms for float and long double as well.
constexpr auto library = sorted(std::to_array<std::string_view>(
    {"acos",      "acosh",     "asin",       "asinh",      "atan",          "atan2",   "atanh",    "cbrt",
     "ceil",      "copysign",  "cos",        "cosh",       "drem",          "erf",     "erfc",     "exp",
     "exp10",     "exp2",      "expm1",      "fabs",       "fdim",          "finite",  "floor",    "fma",
     "fmax",      "fmin",      "fmod",       "fpclassify", "frexp",         "gamma",   "hypot",    "ilogb",
     "infinity",  "isfinite",  "isgreater",  "isinf",      "isless",        "isnan",   "isnormal", "j0",
     "j1",        "jn",        "ldexp",      "lgamma",     "lgamma_r",      "llrint",  "llround",  "log",
     "log10",     "log1p",     "log2",       "logb",       "lrint",         "lround",  "modf",     "nan",
     "nearbyint", "nextafter", "nexttoward", "pow",        "remainder",     "remquo",  "rint",     "round",
     "scalb",     "scalbln",   "scalbn",     "signbit",    "significand",   "signgam", "sin",      "sincos",
     "sinh",      "sqrt",      "tan",        "tanh",       "tgamma",        "trunc",   "y0",       "y1",
     "yn",        "abs",       "labs",       "div",        "double_t",      "float_t", "main",     "printf",
     "puts",      "putchar",   "stdin",      "stdout",     "stderr",        "remove",  "rename",   "malloc",
     "free",      "std",       "any",        "evaluate",   "evaluate_many", "differ",  "Eigen",    "Scalar",
     "Values",    "values"}));

template <class Words>
bool in(const Words& words, std::string_view name) {
  return std::binary_search(words.begin(), words.end(), name);
}

bool of_library(std::string_view name) {
  if (in(library, name)) return true;
  return name.size() > 2 && (name.back() == 'f' || name.back() == 'l') && in(library, name.substr(0, name.size() - 1));
}

bool is_letter(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; }

bool is_macro(std::string_view name) {
  static constexpr auto macros =
      sorted(std::to_array<std::string_view>({"DOMAIN", "EOF", "HUGE", "HUGE_VAL", "INFINITY", "MAXFLOAT", "NAN",
                                              "NULL", "OVERFLOW", "PLOSS", "SING", "TLOSS", "UNDERFLOW"}));
  return in(macros, name) || name.starts_with("M_") || name.starts_with("FP_") || name.starts_with("MATH_");
}

std::string taken(std::string_view name, const char* what, const char* why) {
  return fmt::format("'{0}' cannot be the name of {1} in C and C++: {2}; take another, such as {0}_0", name, what, why);
}

std::string objection_to_word(std::string_view name, const char* what) {
  if (!is_identifier(name)) {
    return fmt::format(
        "'{}' cannot be the name of {} in C and C++: use letters, digits and underscores, and do not start with a "
        "digit",
        name, what);
  }
  if (in(keywords, name)) return taken(name, what, "it is a word of the language");
  if (is_macro(name)) return taken(name, what, "it is a macro of the C library");
  if (name.starts_with('_') || name.find("__") != std::string_view::npos) {
    return fmt::format(
        "'{}' cannot be the name of {} in C and C++: names with an underscore in front, or with two in a row, belong "
        "to the compiler",
        name, what);
  }
  return "";
}

}  // namespace

std::string objection_to_function(std::string_view name) {
  if (of_library(name)) return taken(name, "a function", "the C library or the emitted source has one of that name");
  return objection_to_word(name, "a function");
}

std::string objection_to_array(std::string_view name) {
  static constexpr auto parts =
      sorted(std::to_array<std::string_view>({"Eigen", "Scalar", "Values", "std", "any", "values"}));
  if (in(parts, name)) return taken(name, "an array", "the emitted source uses it for something else");
  return objection_to_word(name, "an array");
}

std::string objection_to_package(std::string_view name) {
  static constexpr auto targets = sorted(std::to_array<std::string_view>(
      {"ALL_BUILD", "INSTALL", "PACKAGE", "RUN_TESTS", "ZERO_CHECK", "all", "clean", "depend", "edit_cache", "help",
       "install", "list_install_components", "package", "package_source", "preinstall", "rebuild_cache", "test"}));
  if (in(targets, name))
    return fmt::format(
        "'{0}' cannot be the name of a package: CMake has a target of that name; take another, such as {0}_0", name);
  return objection_to_function(name);
}

void require_none(const std::string& objection) {
  if (!objection.empty()) throw Error(ErrorKind::name, objection);
}

bool calls(std::string_view source, std::string_view function) {
  for (std::size_t at = source.find(function); at != std::string_view::npos; at = source.find(function, at + 1)) {
    const std::size_t end = at + function.size();
    if ((at == 0 || !is_letter(source[at - 1])) && end < source.size() && source[end] == '(') return true;
  }
  return false;
}

}  // namespace boreon
