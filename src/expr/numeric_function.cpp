// SPDX-License-Identifier: MIT
#include "boreon/numeric_function.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <map>
#include <memory>
#include <mutex>

#include "boreon/error.hpp"
#include "boreon/symbol.hpp"
#include "boreon/traverse.hpp"
#include "expr/hash.hpp"
#include "expr/numeric_rows.hpp"

namespace boreon {

namespace {

struct NumericRow {
  FunctionRow row;
  NumericFunction::Shared* owner = nullptr;
  std::vector<int> orders;
  std::string name;  // "rate'"
  std::uint64_t hash = 0;
};

}  // namespace

struct NumericFunction::Shared {
  std::string name;
  std::vector<ArgumentRange> ranges;
  int highest_order = 0;
  NumericRule rule;
  std::string domain;
  std::atomic<std::uint32_t> references{1};
  std::map<std::vector<int>, std::unique_ptr<NumericRow>> rows;  // guarded by the lock of the numbers
};

// The numbers in use. Looking one up takes no lock: whoever has a number holds a reference to what it stands for.
class NumericRows {
 public:
  using Shared = NumericFunction::Shared;

  static const NumericRow& at(std::uint16_t number) noexcept {
    return *table()[number - first_numeric_row].load(std::memory_order_acquire);
  }

  static const NumericRow& row_of(Shared& shared, std::vector<int> orders) {
    const std::scoped_lock lock(mutex());
    std::unique_ptr<NumericRow>& known = shared.rows[orders];
    if (known == nullptr) {
      auto& slots = table();
      std::size_t slot = next();
      for (std::size_t tried = 0; slots[slot].load(std::memory_order_relaxed) != nullptr; ++tried) {
        if (tried == slots.size())
          throw Error(ErrorKind::limit,
                      fmt::format("more than {} numeric functions and derivatives of them are in use", slots.size()));
        slot = (slot + 1) % slots.size();
      }
      next() = (slot + 1) % slots.size();
      auto made = std::make_unique<NumericRow>();
      made->owner = &shared;
      made->name = shared.name;
      const bool one = orders.size() == 1;
      if (one) made->name += std::string(static_cast<std::size_t>(orders[0]), '\'');
      if (!one && std::any_of(orders.begin(), orders.end(), [](int o) { return o > 0; }))
        made->name += fmt::format("_d{}", fmt::join(orders, "_"));
      made->hash = hash_text(shared.name);
      for (const int o : orders) made->hash = hash_combine(made->hash, static_cast<std::uint64_t>(o) + 0x9e3779b9U);
      made->orders = std::move(orders);
      made->row.name = made->name;
      made->row.summary = "a numeric function";
      made->row.min_args = made->row.max_args = static_cast<int>(shared.ranges.size());
      made->row.analytic = false;
      made->row.facts = [](std::uint16_t arguments) -> std::uint16_t {
        return arguments & static_cast<std::uint16_t>(Assumption::real);
      };
      made->row.domain = shared.domain;
      made->row.own = static_cast<std::uint16_t>(first_numeric_row + slot);
      slots[slot].store(made.get(), std::memory_order_release);
      known = std::move(made);
    }
    return *known;
  }

  static NumericFunction handle(Shared* shared) {
    shared->references.fetch_add(1, std::memory_order_relaxed);
    return NumericFunction(shared);
  }

  static NumericFunction adopt(std::unique_ptr<Shared> shared) {
    alive().fetch_add(1, std::memory_order_relaxed);
    return NumericFunction(shared.release());
  }

  static void release(Shared* shared) noexcept {
    if (shared == nullptr || shared->references.fetch_sub(1, std::memory_order_acq_rel) != 1) return;
    {
      const std::scoped_lock lock(mutex());
      for (const auto& [orders, row] : shared->rows) {
        if (row != nullptr)
          table()[row->row.own - first_numeric_row].store(nullptr,
                                                          std::memory_order_release);  // null: there was no number left
      }
    }
    alive().fetch_sub(1, std::memory_order_relaxed);
    delete shared;  // NOLINT: the last reference; no lock is held, for the code of the user may own expressions
  }

  static bool any() noexcept { return alive().load(std::memory_order_relaxed) != 0; }

 private:
  using Table = std::array<std::atomic<const NumericRow*>, 0x8000>;
  static Table& table() {
    static Table t{};
    return t;
  }
  static std::mutex& mutex() {
    static auto* m = new std::mutex;
    return *m;
  }
  static std::size_t& next() {
    static std::size_t n = 0;
    return n;
  }
  static std::atomic<std::size_t>& alive() {
    static std::atomic<std::size_t> n{0};
    return n;
  }
};

namespace {

std::string shown(const ArgumentRange& r) {
  if (std::isfinite(r.lower) && std::isfinite(r.upper)) return fmt::format("from {} to {}", r.lower, r.upper);
  if (std::isfinite(r.lower)) return fmt::format("of at least {}", r.lower);
  return std::isfinite(r.upper) ? fmt::format("of at most {}", r.upper) : std::string("of any size");
}

// Points inside a range and how far to go from them.
std::array<std::pair<double, double>, 5> probes(const ArgumentRange& r) {
  static constexpr double parts[] = {0.137, 0.3613, 0.5219, 0.7093, 0.8871};
  static constexpr double away[] = {0.1370, 0.6613, 1.7219, 5.093, 31.7};
  static constexpr double around[] = {-1.731, -0.4127, 0.3361, 1.137, 2.619};
  std::array<std::pair<double, double>, 5> points;
  for (std::size_t k = 0; k < points.size(); ++k) {
    const bool below = std::isfinite(r.lower);
    const bool above = std::isfinite(r.upper);
    const double size = std::max(1.0, std::abs(below ? r.lower : above ? r.upper : 0.0));
    const double x = below && above ? r.lower + (r.upper - r.lower) * parts[k]
                     : below        ? r.lower + size * away[k]
                     : above        ? r.upper - size * away[k]
                                    : around[k];
    const double room = std::min(below ? x - r.lower : HUGE_VAL, above ? r.upper - x : HUGE_VAL);
    points[k] = {x,
                 std::min(1e-3 * std::max(std::abs(x), below && above ? r.upper - r.lower : 0.1 * size), 0.4 * room)};
  }
  return points;
}

// Whether the derivatives given are those of the function: at most of five points they must be (a kink may sit near
// one).
void check_derivatives(const NumericFunction& f) {
  const std::size_t n = f.arguments();
  std::vector<std::array<std::pair<double, double>, 5>> points;
  for (const ArgumentRange& r : f.ranges()) points.push_back(probes(r));
  std::vector<int> orders(n, 0);
  const auto check = [&](std::size_t i) {
    int tested = 0;
    int bad = 0;
    std::string first;
    for (std::size_t k = 0; k < 5; ++k) {
      std::vector<double> x;
      for (std::size_t j = 0; j < n; ++j) x.push_back(points[j][j == 0 ? k : (k * 2 + j) % 5].first);
      const double at = x[i];
      const double step = points[i][i == 0 ? k : (k * 2 + i) % 5].second;
      const auto value = [&](double place) {
        x[i] = place;
        return f.value(x, orders);
      };
      const auto difference = [&](double h) { return (value(at + h) - value(at - h)) / (2 * h); };
      const double coarse = difference(step);
      const double fine = difference(step / 2);
      const double here = value(at);
      const double numeric = fine + (fine - coarse) / 3;
      std::vector<int> raised = orders;
      ++raised[i];
      const double given = f.value(x, raised);
      if (!std::isfinite(numeric) || !std::isfinite(here)) continue;
      ++tested;
      const double noise = 1e-12 * std::abs(here) / step + 10 * std::abs(fine - coarse);
      if (std::abs(numeric - given) <= 1e-3 * std::max(std::abs(numeric), std::abs(given)) + noise) continue;
      if (bad++ > 0) continue;
      std::string place;
      for (std::size_t j = 0; j < n; ++j) place += fmt::format("{}{:.6g}", j == 0 ? "" : ", ", x[j]);
      first = fmt::format(
          "at {}({}) {} changes by {:.6g} per unit of its argument{}, the derivative given there is {:.6g}", f.name(),
          place,
          std::all_of(orders.begin(), orders.end(), [](int o) { return o == 0; }) ? "the value"
                                                                                  : "the derivative before it",
          numeric, n == 1 ? "" : fmt::format(" {}", i + 1), given);
    }
    if (2 * bad > tested)
      throw Error(
          ErrorKind::usage,
          fmt::format(
              "a derivative given for {} does not fit: {}; mend the code of the derivative, or give the value alone",
              f.name(), first));
  };
  // every partial derivative is reached from one of the order below
  std::function<void(std::size_t, int)> walk = [&](std::size_t from, int left) {
    if (left == 0) return;
    for (std::size_t i = from; i < n; ++i) {
      check(i);
      ++orders[i];
      walk(i, left - 1);
      --orders[i];
    }
  };
  walk(0, f.highest_order());
}

NumericFunction checked(NumericFunction f) {
  check_derivatives(f);
  return f;
}

NumericRule of_one_argument(std::vector<std::function<double(double)>> code) {
  return {[code = std::move(code)](std::span<const double> x, std::span<const int> orders) {
            return code[static_cast<std::size_t>(orders[0])](x[0]);
          },
          {}};
}

}  // namespace

NumericFunction unchecked_numeric_function(std::string_view name, std::vector<ArgumentRange> ranges, int highest_order,
                                           NumericRule rule) {
  (void)UnknownFunction(name);  // its name is as good as that of one
  if (find_function(name) != nullptr)
    throw Error(
        ErrorKind::name,
        fmt::format("'{0}' is a function that is known already; give the numeric one another name, such as {0}_0",
                    name));
  if (!rule.value)
    throw Error(ErrorKind::usage, fmt::format("the numeric function {} has no code for its value", name));
  if (ranges.empty() || ranges.size() > 3)
    throw Error(ErrorKind::shape,
                fmt::format("a numeric function takes one to three arguments, {} would take {}", name, ranges.size()));
  if (highest_order < 0 || highest_order > 100)
    throw Error(ErrorKind::usage, fmt::format("derivatives up to order {} are announced for {}; 0 to 100 are possible",
                                              highest_order, name));
  auto shared = std::make_unique<NumericFunction::Shared>();
  shared->name = name;
  shared->highest_order = highest_order;
  shared->rule = std::move(rule);
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    if (!(ranges[i].lower < ranges[i].upper))
      throw Error(ErrorKind::usage, fmt::format("the range of argument {} of {} is empty: {} to {}", i + 1, name,
                                                ranges[i].lower, ranges[i].upper));
    shared->domain += fmt::format("{}{}{}", i == 0 ? "" : ", ",
                                  ranges.size() == 1 ? "an argument "
                                  : i == 0           ? "arguments "
                                                     : "",
                                  shown(ranges[i]));
  }
  shared->ranges = std::move(ranges);
  return NumericRows::adopt(std::move(shared));
}

NumericFunction::NumericFunction(std::string_view name,
                                 std::vector<std::function<double(double)>> value_and_derivatives, ArgumentRange range)
    : shared_(nullptr) {
  if (value_and_derivatives.empty() ||
      std::any_of(value_and_derivatives.begin(), value_and_derivatives.end(), [](const auto& f) { return !f; })) {
    throw Error(ErrorKind::usage,
                fmt::format("the numeric function {} needs code for its value and for each derivative given", name));
  }
  const int orders = static_cast<int>(value_and_derivatives.size()) - 1;
  *this = checked(unchecked_numeric_function(name, {range}, orders, of_one_argument(std::move(value_and_derivatives))));
}

NumericFunction::NumericFunction(std::string_view name, std::vector<ArgumentRange> ranges, int highest_order,
                                 NumericRule rule)
    : NumericFunction(checked(unchecked_numeric_function(name, std::move(ranges), highest_order, std::move(rule)))) {}

NumericFunction::NumericFunction(const NumericFunction& other) noexcept : shared_(other.shared_) {
  if (shared_ != nullptr) shared_->references.fetch_add(1, std::memory_order_relaxed);  // null: moved from
}
NumericFunction::~NumericFunction() { NumericRows::release(shared_); }

const std::string& NumericFunction::name() const noexcept { return shared_->name; }
std::span<const ArgumentRange> NumericFunction::ranges() const noexcept { return shared_->ranges; }
int NumericFunction::highest_order() const noexcept { return shared_->highest_order; }

Expr NumericFunction::call(std::span<const Expr> args) const {
  return derivative_at(args, std::vector<int>(arguments(), 0));
}

Expr NumericFunction::derivative_at(std::span<const Expr> args, std::span<const int> orders) const {
  if (orders.size() != arguments())
    throw Error(ErrorKind::shape, fmt::format("{} takes {} argument{}, but {} derivative orders are given", name(),
                                              arguments(), arguments() == 1 ? "" : "s", orders.size()));
  int total = 0;
  for (const int o : orders) {
    if (o < 0 || o > 1000)
      throw Error(ErrorKind::usage, fmt::format("a derivative of order {} of {} is asked for", o, name()));
    total += o;
  }
  if (total > highest_order()) {
    throw Error(
        ErrorKind::unsupported,
        fmt::format(
            "a derivative of order {} of {} is needed, but its code gives {}; add the code of that derivative", total,
            name(),
            highest_order() == 0 ? "the value alone" : fmt::format("derivatives up to order {}", highest_order())));
  }
  return boreon::call(NumericRows::row_of(*shared_, {orders.begin(), orders.end()}).row, args);
}

namespace {

double value_of(const NumericFunction::Shared& f, std::span<const double> args, std::span<const int> orders) noexcept {
  if (args.size() != f.ranges.size()) return std::nan("");
  for (std::size_t i = 0; i < args.size(); ++i) {
    if (!(args[i] >= f.ranges[i].lower && args[i] <= f.ranges[i].upper)) return std::nan("");
  }
  static constexpr std::array<int, 3> none{};
  try {
    return f.rule.value(args, orders.empty() ? std::span<const int>(none).first(args.size()) : orders);
  } catch (...) {
    return std::nan("");
  }
}

}  // namespace

double NumericFunction::value(std::span<const double> args, std::span<const int> orders) const noexcept {
  return value_of(*shared_, args, orders);
}

std::string NumericFunction::c_source(const std::string& name, std::span<const int> orders) const {
  return shared_->rule.c_source ? shared_->rule.c_source(name, orders) : std::string();
}

NumericCall numeric_call(const FunctionRow& row) {
  if (row.own == 0) throw Error(ErrorKind::usage, fmt::format("{} is a function of the catalogue", row.name));
  const NumericRow& r = NumericRows::at(row.own);
  return {NumericRows::handle(r.owner), r.orders};
}

void retain_numeric(std::uint16_t number) noexcept {
  NumericRows::at(number).owner->references.fetch_add(1, std::memory_order_relaxed);
}
void release_numeric(std::uint16_t number) noexcept { NumericRows::release(NumericRows::at(number).owner); }
std::uint64_t numeric_hash(std::uint16_t number) noexcept { return NumericRows::at(number).hash; }

double numeric_value(const FunctionRow& row, std::span<const double> args) noexcept {
  const NumericRow& r = NumericRows::at(row.own);
  return value_of(*r.owner, args, r.orders);
}

Expr numeric_partial(const FunctionRow& row, std::span<const Expr> args, std::size_t i) {
  const NumericCall c = numeric_call(row);
  std::vector<int> orders = c.orders;
  ++orders[i];
  return c.function.derivative_at(args, orders);
}

Expr as_unknown_call(const Expr& call) {
  const NumericCall c = numeric_call(call.function());
  return UnknownFunction(c.function.name()).derivative_at(call.operands(), c.orders);
}

Expr with_unknown_calls(const Expr& expression) {
  if (!NumericRows::any()) return expression;
  Rebuild spell([](const Expr&, Expr&) { return false; },
                [](const Expr& e) { return e.is(Kind::call) && e.function().own != 0 ? as_unknown_call(e) : e; });
  return spell(expression);
}

const FunctionRow& row_of(std::uint16_t number) {
  return number < first_numeric_row ? catalogue()[number] : NumericRows::at(number).row;
}

}  // namespace boreon
