// SPDX-License-Identifier: MIT
#include "boreon/figure.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <limits>

#include "boreon/error.hpp"
#include "boreon/work.hpp"

namespace boreon {
namespace {

// gnuplot text in single quotes; enhanced markup is switched off for every text, so only the quote needs care.
std::string quoted(const std::string& text) {
  std::string out = "'";
  for (const char c : text) {
    if (c == '\n' || c == '\r') continue;
    out += c;
    if (c == '\'') out += '\'';
  }
  return out + "'";
}

bool drawable(const Figure& f) {
  if (std::any_of(f.field.values.begin(), f.field.values.end(), [](double v) { return std::isfinite(v); })) return true;
  for (const Curve& c : f.curves) {
    for (std::size_t i = 0; i < std::min(f.categories.size(), c.y.size()); ++i) {
      if (std::isfinite(c.y[i])) return true;
    }
    for (std::size_t i = 0; i < c.x.size(); ++i) {
      if (std::isfinite(c.x[i]) && std::isfinite(c.y[i])) return true;
    }
  }
  return false;
}

// Okabe and Ito's colours, which remain apart for colour-blind readers (2008).
constexpr const char* palette[] = {"#0072B2", "#D55E00", "#009E73", "#CC79A7",
                                   "#E69F00", "#56B4E9", "#000000", "#7F7F7F"};

// A second cue beside the colour.
constexpr const char* dashes[] = {"1", "(14,4)", "(4,3)", "(12,3,3,3)", "(2,2)"};

// The power of a thousand that numbers at the axis leave out; it stands beside the unit instead.
int common_power(const Figure& f) {
  double largest = 0;
  for (const Curve& c : f.curves) {
    for (const double y : c.y) {
      if (std::isfinite(y)) largest = std::max(largest, std::fabs(y));
    }
  }
  if (std::isfinite(f.y_low) && std::isfinite(f.y_high)) largest = std::max(std::fabs(f.y_low), std::fabs(f.y_high));
  if (f.logarithmic_y || !f.categories.empty() || largest == 0 || (largest < 1e5 && largest >= 1e-3)) return 0;
  return 3 * static_cast<int>(std::floor(std::log10(largest) / 3));
}

// Bars of all curves side by side over each category, with their values.
std::string bars(const Figure& f, std::size_t block) {
  const auto n = static_cast<double>(f.curves.size());
  const double width = 0.8 / n;
  std::string s;
  for (std::size_t k = 0; k < f.curves.size(); ++k) {
    s += fmt::format("$data{} << EOD\n", block + k);
    for (std::size_t i = 0; i < f.categories.size(); ++i) {
      const double x = static_cast<double>(i) + (static_cast<double>(k) - (n - 1) / 2) * width;
      s += std::isfinite(f.curves[k].y[i]) ? fmt::format("{:.6g} {:.10g}\n", x, f.curves[k].y[i]) : std::string("\n");
    }
    s += "EOD\n";
  }
  s += "set xtics noenhanced (";
  for (std::size_t i = 0; i < f.categories.size(); ++i)
    s += fmt::format("{}{} {}", i > 0 ? ", " : "", quoted(f.categories[i]), i);
  s += fmt::format(
      ")\nset offsets 0, 0, graph 0.08, 0\nset xrange [-0.6:{}]\nset yrange [0:*]\nset boxwidth {:.4g}\nset style fill "
      "solid 0.85 noborder\nplot ",
      static_cast<double>(f.categories.size()) - 0.4, 0.9 * width);
  for (std::size_t k = 0; k < f.curves.size(); ++k) {
    s += fmt::format(
        "{0}$data{1} using 1:2 with boxes lc rgb '{2}' title {3}, $data{1} using 1:2:(sprintf('%.2f', $2)) with labels "
        "offset 0,0.6 notitle",
        k > 0 ? ", " : "", block + k, palette[k % 8], quoted(f.curves[k].label));
  }
  return s + "\nset xtics enhanced autofreq\nset xrange [*:*]\nset yrange [*:*]\n";
}

// Colours whose brightness rises evenly, so that equal steps of the value look equal, in print and to colour-blind
// readers as well.
constexpr const char* even_palette =
    "set palette defined (0 '#0b2545', 1 '#1f4e79', 2 '#2e7f8f', 3 '#58a87c', 4 '#a9c45f', 5 '#fbe45b')\n";

std::string colours(const Figure& f, std::size_t block) {
  const ColourField& c = f.field;
  std::string s = fmt::format("$data{} << EOD\n", block);
  for (std::size_t j = 0; j < c.y.size(); ++j) {
    for (std::size_t i = 0; i < c.x.size(); ++i) {
      const double v = c.values[j * c.x.size() + i];
      s += std::isfinite(v) ? fmt::format("{:.10g} {:.10g} {:.10g}\n", c.x[i], c.y[j], v)
                            : fmt::format("{:.10g} {:.10g} NaN\n", c.x[i], c.y[j]);
    }
    s += "\n";
  }
  const auto ends = [](const std::vector<double>& x) {
    const double half = x.size() > 1 ? (x[1] - x[0]) / 2 : 0.5;
    return fmt::format("[{:.10g}:{:.10g}]", x.front() - half, x.back() + half);
  };
  return s + fmt::format(
                 "EOD\nset offsets\nunset grid\nset cblabel {} noenhanced offset 2,0\nset xrange {}\n"
                 "set yrange {}\n{}plot $data{} using 1:2:3 with image notitle\nset grid lc rgb '#dddddd' lt 1 "
                 "lw 1\n",
                 quoted(c.label), ends(c.x), ends(c.y), even_palette, block);
}

// The columns behind x and y: an error, or the ends of a band.
std::string beside(const Curve& c, std::size_t i) {
  if (!c.low.empty()) return fmt::format(" {:.10g} {:.10g}", c.low[i], c.high[i]);
  return c.errors.empty() ? std::string() : fmt::format(" {:.10g}", c.errors[i]);
}

// How a curve is drawn: the columns with their common factor, and the style.
std::string style(const Curve& c, std::size_t k, double scale, std::size_t& lines) {
  const char* const colour = palette[k % 8];
  if (!c.low.empty())
    return fmt::format("1:(column(3)*{0:g}):(column(4)*{0:g}) with filledcurves fs solid 0.25 noborder lc rgb '{1}'",
                       scale, colour);
  if (!c.errors.empty())
    return fmt::format("1:(column(2)*{0:g}):(column(3)*{0:g}) with yerrorbars pt 7 ps 0.8 lw 1.2 lc rgb '{1}'", scale,
                       colour);
  if (c.points) return fmt::format("1:(column(2)*{:g}) with points pt 7 ps 0.9 lc rgb '{}'", scale, colour);
  return fmt::format("1:(column(2)*{:g}) with lines lw 2.5 lc rgb '{}' dt {}", scale, colour, dashes[lines++ % 5]);
}

// Low panels have room for few numbers at their axis: a step of 1, 2 or 5 times a power of ten for `most` of them.
std::string number_step(const Figure& f, double scale, int most) {
  double low = std::numeric_limits<double>::infinity();
  double high = -low;
  const auto see = [&](double v) {
    if (!std::isfinite(v)) return;
    low = std::min(low, v * scale);
    high = std::max(high, v * scale);
  };
  for (const Curve& c : f.curves) {
    for (const auto* list : {&c.y, &c.low, &c.high})
      for (const double v : *list) see(v);
  }
  if (f.logarithmic_y || !f.categories.empty() || !(high > low)) return "set ytics autofreq\n";
  const double raw = (high - low) / most;
  const double ten = std::pow(10.0, std::floor(std::log10(raw)));
  const double step = raw <= ten ? ten : raw <= 2 * ten ? 2 * ten : raw <= 5 * ten ? 5 * ten : 10 * ten;
  return fmt::format("set ytics {:.10g}\n", step);
}

// Whether places are so large or small that only their powers of ten can be read.
bool far_from_one(const Figure& f) {
  for (const Curve& c : f.curves) {
    for (const double x : c.x)
      if (x > 1e5 || (x > 0 && x < 1e-4)) return true;
  }
  return false;
}

std::string script(const std::vector<Figure>& panels, bool svg) {
  const int width = panels[0].width;
  const int height = panels[0].height;
  std::string s =
      svg ? fmt::format("set terminal svg size {},{} enhanced font 'DejaVu Sans,14' background rgb 'white'\n", width,
                        height)
          : fmt::format("set terminal pngcairo size {},{} enhanced font 'DejaVu Sans,13'\n", width, height);
  s += "set encoding utf8\nset border 3 lw 1 lc rgb '#444444'\nset tics nomirror textcolor rgb '#222222'\nset grid lc "
       "rgb '#dddddd' lt 1 lw 1\nset key noenhanced tmargin center "
       "horizontal maxrows 4 spacing 1.2 samplen 3\n";
  if (panels.size() > 1) s += fmt::format("set lmargin 12\nset rmargin 5\nset multiplot layout {},1\n", panels.size());
  // Axes of time stand one below the other, beside scales of colours or not.
  if (std::any_of(panels.begin(), panels.end(), [](const Figure& f) { return !f.field.values.empty(); }))
    s += "set rmargin at screen 0.86\n";
  std::size_t block = 0;
  for (const Figure& f : panels) {
    if (!f.categories.empty()) continue;
    for (const Curve& c : f.curves) {
      s += fmt::format("$data{} << EOD\n", block++);
      for (std::size_t i = 0; i < c.x.size(); ++i) {
        const bool gap = !std::isfinite(c.x[i]) || !std::isfinite(c.y[i]) || (f.logarithmic_y && c.y[i] <= 0) ||
                         (f.logarithmic_x && c.x[i] <= 0);
        s += gap ? std::string("\n") : fmt::format("{:.10g} {:.10g}{}\n", c.x[i], c.y[i], beside(c, i));
      }
      s += "EOD\n";
    }
  }
  std::size_t of_bars = block;
  block = 0;
  for (const Figure& f : panels) {
    const int power = common_power(f);
    const double scale = std::pow(10.0, -power);
    s += fmt::format("set title {} noenhanced\nset xlabel {} noenhanced\nset ylabel {} noenhanced{}\n",
                     quoted(f.subtitle.empty() ? f.title : f.title + "   " + f.subtitle), quoted(f.x_label),
                     quoted(power == 0 ? f.y_label : typeset_label(fmt::format("10^{} {}", power, f.y_label))),
                     panels.size() > 3 ? " font ',10'" : "");
    const auto range = [&](const char* axis, double low, double high) {
      const auto end = [](double v) { return std::isfinite(v) ? fmt::format("{:.10g}", v) : std::string("*"); };
      s += fmt::format("set {}range [{}:{}]\n", axis, end(low), end(high));
    };
    range("x", f.x_low, f.x_high);
    range("y", f.y_low * scale, f.y_high * scale);
    s += std::isfinite(f.y_low) || !f.categories.empty() ? "set offsets\n"
                                                         : "set offsets 0, 0, graph 0.03, graph 0.03\n";
    if (panels.size() > 2) s += number_step(f, scale, std::max(2, height / static_cast<int>(panels.size()) / 55));
    s += f.logarithmic_x ? fmt::format("set logscale x\nset format x '{}'\n", far_from_one(f) ? "10^{%L}" : "%g")
                         : "unset logscale x\nset format x '% h'\n";
    s += f.logarithmic_y ? "set logscale y\nset format y '10^{%L}'\n" : "unset logscale y\nset format y '%g'\n";
    if (!f.field.values.empty()) {
      s += colours(f, of_bars++);
      continue;
    }
    if (!f.categories.empty()) {
      s += bars(f, of_bars);
      of_bars += f.curves.size();
      continue;
    }
    s += "plot ";
    std::size_t lines = 0;
    for (std::size_t k = 0; k < f.curves.size(); ++k) {
      const std::string& label = f.curves[k].label;
      s += fmt::format("{}$data{} using {} {}", k > 0 ? ", " : "", block++, style(f.curves[k], k, scale, lines),
                       label.empty() ? "notitle" : "title " + quoted(label));
    }
    s += "\n";
  }
  if (panels.size() > 1) s += "unset multiplot\n";
  return s;
}

// Two ends of a file without a name: what is written to one is read from the other.
class Nameless {
 public:
  explicit Nameless(const std::string& text) {
    std::error_code missing;
    const std::filesystem::path folder = std::filesystem::temp_directory_path(missing);
    if (missing)
      throw Error(ErrorKind::io, "there is no folder for temporary files; TMPDIR names one that does not exist");
    std::string pattern = (folder / "boreon-XXXXXX").string();
    descriptor_ = ::mkostemp(pattern.data(), O_CLOEXEC);
    if (descriptor_ < 0) throw Error(ErrorKind::io, "no temporary file can be made for the figure");
    ::unlink(pattern.c_str());
    std::string_view rest = text;
    while (!rest.empty()) {
      const ssize_t n = ::write(descriptor_, rest.data(), rest.size());
      if (n <= 0 && errno != EINTR)
        throw Error(ErrorKind::io, "the temporary file for the figure cannot be written (is the disk full?)");
      if (n > 0) rest.remove_prefix(static_cast<std::size_t>(n));
    }
    ::lseek(descriptor_, 0, SEEK_SET);
  }
  ~Nameless() { ::close(descriptor_); }
  Nameless(const Nameless&) = delete;
  Nameless& operator=(const Nameless&) = delete;
  [[nodiscard]] int descriptor() const noexcept { return descriptor_; }

 private:
  int descriptor_ = -1;
};

// Script from standard input, figure to standard output: no shell, and no name of a file in the script.
void draw_with_gnuplot(const std::string& text, int target, const std::string& path) {
  const Nameless input(text);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, input.descriptor(), STDIN_FILENO);
  posix_spawn_file_actions_adddup2(&actions, target, STDOUT_FILENO);
  posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
  std::string name = "gnuplot";
  char* const arguments[] = {name.data(), nullptr};
  pid_t child = 0;
  const int failed = ::posix_spawnp(&child, "gnuplot", &actions, nullptr, arguments, environ);
  posix_spawn_file_actions_destroy(&actions);
  if (failed == ENOENT) throw Error(ErrorKind::io, "gnuplot is not installed; install the package gnuplot-nox");
  if (failed != 0)
    throw Error(ErrorKind::io, fmt::format("gnuplot cannot be started for the figure '{}' ({})", path,
                                           std::strerror(failed)));  // NOLINT: copied at once
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    if (interrupt_requested()) ::kill(child, SIGTERM);
  }
  if (interrupt_requested())
    throw Stopped(
        Error(ErrorKind::interrupted, fmt::format("the figure '{}' was not drawn: stopped before it was done", path)));
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0)
    throw Error(ErrorKind::io, fmt::format("gnuplot could not draw the figure '{}'", path));
}

}  // namespace

void write_figures(const std::vector<Figure>& panels, const std::string& path, const OutputPolicy& policy) {
  if (panels.empty()) throw Error(ErrorKind::usage, "there is nothing to draw");
  const std::string ending = std::filesystem::path(path).extension().string();
  if (ending != ".png" && ending != ".svg")
    throw Error(ErrorKind::usage, fmt::format("a figure is written as .png or .svg, not '{}'", path));
  for (const Figure& f : panels) {
    if (!drawable(f))
      throw Error(ErrorKind::domain,
                  fmt::format("there is nothing to draw in '{}': no point has a finite value", f.title));
    if (f.field.values.size() != f.field.x.size() * f.field.y.size())
      throw Error(ErrorKind::shape,
                  fmt::format("the field '{}' has {} values for {} columns and {} rows", f.field.label,
                              f.field.values.size(), f.field.x.size(), f.field.y.size()));
    for (const Curve& c : f.curves) {
      if (!f.categories.empty() && c.y.size() != f.categories.size()) {
        throw Error(ErrorKind::shape,
                    fmt::format("'{}' has {} values for {} categories", c.label, c.y.size(), f.categories.size()));
      }
      if (f.categories.empty() && c.x.size() != c.y.size())
        throw Error(ErrorKind::shape, fmt::format("the curve '{}' has {} x and {} y", c.label, c.x.size(), c.y.size()));
      for (const auto* more : {&c.errors, &c.low, &c.high}) {
        if (!more->empty() && more->size() != c.x.size())
          throw Error(ErrorKind::shape, fmt::format("the curve '{}' has {} x, and {} ends of errors or of its band",
                                                    c.label, c.x.size(), more->size()));
      }
    }
  }
  OutputFile file(path, policy);
  draw_with_gnuplot(script(panels, ending == ".svg"), file.descriptor(), path);
  const bool whole = ending == ".png"
                         ? file.head(8).starts_with("\x89PNG") && file.tail(12).find("IEND") != std::string::npos
                         : file.tail(40).find("</svg>") != std::string::npos;
  if (!whole)
    throw Error(ErrorKind::io, fmt::format("the figure '{}' could not be drawn whole (is the disk full?)", path));
  file.finish();
}

void write_figure(const Figure& figure, const std::string& path, const OutputPolicy& policy) {
  write_figures({figure}, path, policy);
}

}  // namespace boreon
