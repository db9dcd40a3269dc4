// SPDX-License-Identifier: MIT
#include "boreon/roots.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "boreon/calculus.hpp"
#include "boreon/error.hpp"
#include "expr/work.hpp"
#include "program/enclosure.hpp"
#include "solvers/checked_system.hpp"
#include "solvers/newton_search.hpp"

namespace boreon {
namespace {

using Box = std::vector<RealInterval>;

constexpr std::size_t most_unknowns = 8;  // for a search of the whole box
constexpr double smallest = 1e-11;        // part of the box below which nothing more is decided
constexpr double apart = 1e-7;            // roots nearer than this, relative to themselves, are one

// Points that fill a box evenly: van der Corput's sequences in prime bases (Halton, 1960).
double halton(std::size_t i, std::size_t dimension) {
  static constexpr std::size_t primes[] = {2,  3,  5,  7,  11, 13, 17, 19, 23, 29, 31,  37,  41,  43,  47,
                                           53, 59, 61, 67, 71, 73, 79, 83, 89, 97, 101, 103, 107, 109, 113};
  const std::size_t base = primes[dimension % std::size(primes)];
  double f = 1;
  double r = 0;
  for (; i > 0; i /= base) {
    f /= static_cast<double>(base);
    r += f * static_cast<double>(i % base);
  }
  return r;
}

bool over_decades(const RealInterval& i) { return i.low > 0 && i.high > 100 * i.low; }

double inside(const RealInterval& i, double part) {
  return over_decades(i) ? i.low * std::pow(i.high / i.low, part) : i.low + part * (i.high - i.low);
}

class RootSearch {
 public:
  RootSearch(const System& system, const RootsOptions& options)
      : system_(system), options_(options), run_(system_, LinearSolver::automatic), n_(system.states.size()) {
    for (std::size_t i = 0; i < n_; ++i) {
      RealInterval b{system_.lower[i], system_.upper[i]};
      const double far = 10 * std::max(std::fabs(system_.start[i]), run_.reach()[i]);
      if (!std::isfinite(b.low)) b.low = std::min(system_.start[i], std::isfinite(b.high) ? b.high : 0.0) - far;
      if (!std::isfinite(b.high)) b.high = std::max(system_.start[i], b.low) + far;
      bounded_ = bounded_ && std::isfinite(system_.lower[i]) && std::isfinite(system_.upper[i]);
      box_.push_back(b);
    }
  }

  RootsResult run() {
    from_starts();
    if (!bounded_) {
      result_.message = "not all unknowns have two bounds, so that there is no box to show empty: give lower and upper";
    } else if (n_ > most_unknowns) {
      result_.message = fmt::format("boxes of more than {} unknowns are not searched whole", most_unknowns);
    } else {
      search_box();
    }
    finish();
    return std::move(result_);
  }

 private:
  void from_starts() {
    const std::size_t count = options_.starts > 0 ? options_.starts : std::min<std::size_t>(40 + 40 * n_, 240);
    SteadyOptions options;
    options.max_iterations = 60;
    for (std::size_t k = 0; k <= count; ++k) {
      std::vector<double> start = system_.start;
      for (std::size_t i = 0; i < n_ && k > 0; ++i) start[i] = inside(box_[i], halton(k, i));
      ++result_.starts;
      spend(5000 + 50 * n_);
      const SteadyResult r = newton_from(run_, start, true, options);
      if (r.converged) add(r.values, {});
    }
  }

  // Known already, as far as rounding tells; a certificate is added to it.
  void add(const std::vector<double>& x, const std::vector<double>& radius) {
    for (Root& r : result_.roots) {
      bool same = true;
      for (std::size_t i = 0; i < n_ && same; ++i) {
        const double size = std::max({std::fabs(x[i]), std::fabs(r.values[i]), 1e-6 * box_[i].width()});
        same = std::fabs(x[i] - r.values[i]) <= apart * size;
      }
      if (!same) continue;
      if (!radius.empty() && !r.certified) {
        r.certified = true;
        r.radius = radius;
        r.values = x;
      }
      return;
    }
    Root r;
    r.values = x;
    r.radius = radius;
    r.certified = !radius.empty();
    result_.roots.push_back(std::move(r));
  }

  // Values at one place, rounded outwards, and the Jacobian over a box.
  struct Linear {
    std::vector<RealInterval> f;
    std::vector<RealInterval> jacobian;  // by rows
    bool outside = false;
  };
  Linear over(const Box& box) {
    std::vector<RealInterval> p;
    for (const double v : system_.parameter_values) p.push_back({v, v});
    const Enclosed e = enclose(*program_, {box, p, {{0, 0}}});
    spend(program_->operation_count() + 1);
    return {e.outputs[0], e.outputs[1], e.outside};
  }

  enum class Finding { empty, one, unknown };

  static bool excludes_zero(const RealInterval& i) { return i.low > 0 || i.high < 0; }

  // What is sure of a box; `box` is narrowed to what is left.
  Finding look(Box& box) {
    ++result_.boxes;
    const Linear here = over(box);
    if (here.outside || std::any_of(here.f.begin(), here.f.end(), excludes_zero)) return Finding::empty;
    // A little wider, so that a root on the face between two boxes is inside both.
    Box wide = box;
    for (std::size_t i = 0; i < n_; ++i) {
      const double more = 0.05 * box[i].width() + 1e-14 * std::max(std::fabs(box[i].low), std::fabs(box[i].high));
      wide[i] = {box[i].low - more, box[i].high + more};
    }
    const Linear l = over(wide);
    if (!std::all_of(l.jacobian.begin(), l.jacobian.end(), [](const RealInterval& i) { return i.finite(); }))
      return Finding::unknown;
    const auto n = static_cast<Eigen::Index>(n_);
    Eigen::MatrixXd middle(n, n);
    Box centre;
    for (std::size_t i = 0; i < n_; ++i) {
      centre.push_back({wide[i].middle(), wide[i].middle()});
      for (std::size_t j = 0; j < n_; ++j)
        middle(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = l.jacobian[i * n_ + j].middle();
    }
    const Linear at = over(centre);
    if (!std::all_of(at.f.begin(), at.f.end(), [](const RealInterval& i) { return i.finite(); }))
      return Finding::unknown;
    // the mean value form, without any inverse
    for (std::size_t i = 0; i < n_; ++i) {
      RealInterval sum = at.f[i];
      for (std::size_t j = 0; j < n_; ++j) sum = sum + l.jacobian[i * n_ + j] * (wide[j] - centre[j]);
      if (excludes_zero(sum)) return Finding::empty;
    }
    const Eigen::FullPivLU<Eigen::MatrixXd> lu(middle);
    if (!lu.isInvertible()) return Finding::unknown;
    const Eigen::MatrixXd y = lu.inverse();
    if (!y.allFinite()) return Finding::unknown;
    bool unique = true;
    Box narrowed = box;
    for (std::size_t i = 0; i < n_; ++i) {
      const auto row = static_cast<Eigen::Index>(i);
      RealInterval k = centre[i];
      for (std::size_t j = 0; j < n_; ++j) {
        const double v = y(row, static_cast<Eigen::Index>(j));
        k = k - RealInterval{v, v} * at.f[j];
      }
      for (std::size_t j = 0; j < n_; ++j) {
        RealInterval m{i == j ? 1.0 : 0.0, i == j ? 1.0 : 0.0};
        for (std::size_t q = 0; q < n_; ++q) {
          const double v = y(row, static_cast<Eigen::Index>(q));
          m = m - RealInterval{v, v} * l.jacobian[q * n_ + j];
        }
        k = k + m * (wide[j] - centre[j]);
      }
      if (k.low > wide[i].high || k.high < wide[i].low) return Finding::empty;
      unique = unique && k.low > wide[i].low && k.high < wide[i].high;
      narrowed[i] = {std::max(k.low, box[i].low), std::min(k.high, box[i].high)};
    }
    if (unique) {
      certify(wide, y);
      return Finding::one;
    }
    for (std::size_t i = 0; i < n_; ++i) {
      if (narrowed[i].low > narrowed[i].high) return Finding::empty;
    }
    box = narrowed;
    return Finding::unknown;
  }

  // There is one root in the box: it is found to rounding, with a box around it in which the test holds.
  void certify(const Box& wide, const Eigen::MatrixXd& inverse) {
    std::vector<double> x;
    for (const RealInterval& i : wide) x.push_back(i.middle());
    for (int k = 0; k < 60; ++k) {
      Box at;
      for (const double v : x) at.push_back({v, v});
      const Linear l = over(at);
      Eigen::VectorXd f(static_cast<Eigen::Index>(n_));
      Eigen::MatrixXd j(static_cast<Eigen::Index>(n_), static_cast<Eigen::Index>(n_));
      for (std::size_t i = 0; i < n_; ++i) {
        f[static_cast<Eigen::Index>(i)] = l.f[i].middle();
        for (std::size_t c = 0; c < n_; ++c)
          j(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(c)) = l.jacobian[i * n_ + c].middle();
      }
      const Eigen::FullPivLU<Eigen::MatrixXd> lu(j);
      const Eigen::VectorXd step = j.allFinite() && lu.isInvertible() ? Eigen::VectorXd(lu.solve(f)) : inverse * f;
      double move = 0;
      for (std::size_t i = 0; i < n_; ++i) {
        const double before = x[i];
        x[i] = std::clamp(x[i] - step[static_cast<Eigen::Index>(i)], wide[i].low, wide[i].high);
        move = std::max(move, std::fabs(x[i] - before) / std::max(std::fabs(x[i]), 1e-6 * box_[i].width()));
      }
      if (move < 4e-16) break;
    }
    std::vector<double> radius;
    for (std::size_t i = 0; i < n_; ++i) {
      // beyond a bound it is none of ours; on it, it is
      const double slack = 1e-12 * std::max(std::fabs(x[i]), box_[i].width());
      if (x[i] < box_[i].low - slack || x[i] > box_[i].high + slack) return;
      x[i] = std::clamp(x[i], box_[i].low, box_[i].high);
      radius.push_back(std::max(wide[i].high - x[i], x[i] - wide[i].low));
    }
    add(x, radius);
  }

  void search_box() {
    const SparseMatrix j = sparse_jacobian(system_.residuals, system_.states);
    std::vector<Expr> entries(n_ * n_, Expr(0));
    for (std::size_t i = 0; i < n_; ++i) {
      for (auto k = static_cast<std::size_t>(j.pattern.row_start[i]);
           k < static_cast<std::size_t>(j.pattern.row_start[i + 1]); ++k)
        entries[i * n_ + static_cast<std::size_t>(j.pattern.columns[k])] = j.values[k];
    }
    const std::vector<OutputGroup> outputs{{"f", system_.residuals}, {"J", entries}};
    const std::vector<InputGroup> inputs{{"y", system_.states}, {"p", system_.parameters}, {"t", {system_.time}}};
    program_.emplace(make_program(outputs, inputs, {.rows = false}));
    std::vector<Box> left{box_};
    std::size_t undecided = 0;
    Box example;
    while (!left.empty()) {
      if (result_.boxes >= options_.most_boxes) {
        result_.message =
            fmt::format("{} boxes were looked at, {} are left: narrower bounds help", result_.boxes, left.size());
        return;
      }
      Box box = std::move(left.back());
      left.pop_back();
      const Box before = box;
      if (look(box) != Finding::unknown) continue;
      std::size_t widest = 0;
      double shrunk = 1;
      double most = 0;
      for (std::size_t i = 0; i < n_; ++i) {
        const double part = over_decades(box[i]) ? 1.0 : box[i].width() / box_[i].width();
        shrunk = std::min(shrunk, before[i].width() > 0 ? box[i].width() / before[i].width() : 1.0);
        if (part > most) {
          most = part;
          widest = i;
        }
      }
      if (!(most > smallest)) {
        if (undecided++ == 0) example = box;
        if (undecided > 200) break;
        continue;
      }
      if (shrunk < 0.5) {
        left.push_back(std::move(box));
        continue;
      }
      Box other = box;
      const double cut =
          over_decades(box[widest]) ? inside(box[widest], 0.5) : box[widest].low + 0.4871 * box[widest].width();
      box[widest].high = cut;
      other[widest].low = cut;
      left.push_back(std::move(box));
      left.push_back(std::move(other));
    }
    result_.complete = undecided == 0;
    if (undecided > 0) {
      std::string place;
      for (std::size_t i = 0; i < n_; ++i)
        place += fmt::format("{}{} = {:.6g}", i > 0 ? ", " : "", system_.state_names[i], example[i].middle());
      result_.message = fmt::format(
          "near {} it is not decided whether there is a root: a multiple one, or the edge of a "
          "domain",
          place);
    }
  }

  void finish() {
    std::vector<Root>& roots = result_.roots;
    std::sort(roots.begin(), roots.end(), [](const Root& a, const Root& b) { return a.values < b.values; });
    double least = 15;
    bool all = true;
    for (Root& r : roots) {
      const Verification v = run_.verify(r.values);
      r.digits = v.solvable && v.worst_correction() > 0 ? agreeing_digits(v.worst_correction())
                                                        : (v.worst_residual() == 0 ? 15.0 : 0.0);
      for (std::size_t i = 0; i < n_; ++i)
        r.on_bound = r.on_bound || r.values[i] == system_.lower[i] || r.values[i] == system_.upper[i];
      r.outputs = run_.outputs(r.values);
      least = std::min(least, r.digits);
      all = all && (r.certified || v.is_root());
    }
    result_.evidence.method = "Newton correction of each unknown, and the test of Krawczyk in ball arithmetic";
    result_.evidence.points = roots.size();
    result_.evidence.entries = roots.size() * n_;
    result_.evidence.digits = roots.empty() ? (result_.complete ? 15 : 0) : least;
    result_.evidence.verdict = roots.empty() && !result_.complete ? Verdict::untested
                               : all                              ? Verdict::agrees
                                                                  : Verdict::disagrees;
  }

  const System& system_;
  const RootsOptions& options_;
  NewtonRun run_;
  std::size_t n_;
  Box box_;
  bool bounded_ = true;
  std::optional<Program> program_;
  RootsResult result_;
};

}  // namespace

RootsResult find_roots(const System& given, const RootsOptions& options) {
  const System system = checked(given, Purpose::steady);
  return RootSearch(system, options).run();
}

}  // namespace boreon
