// SPDX-License-Identifier: MIT
// From arguments to one answer.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <exception>

#include "parsing.hpp"
#include "terminal.hpp"
#include "tool.hpp"

namespace {

using namespace boreon::cli;
using boreon::Error;
using boreon::ErrorKind;

int exit_code_of(ErrorKind kind) {
  switch (kind) {
    case ErrorKind::unsupported:
    case ErrorKind::convergence:
    case ErrorKind::check:
    case ErrorKind::limit:
    case ErrorKind::domain: return 1;
    case ErrorKind::interrupted: return 128 + caught_signal();
    default: return 2;
  }
}

std::string json_text(const Json& j) { return j.written() + "\n"; }

int report_error(const Request& r, const char* kind, const std::string& message, const std::string& full,
                 std::size_t line, std::size_t column, int code) {
  if (r.json) {
    print(stdout, json_text({{"ok", false},
                             {"error", {{"kind", kind}, {"message", message}, {"line", line}, {"column", column}}}}));
  } else {
    print(stderr, harmless("error: " + full + "\n"));
  }
  return code;
}

int report_error(const Request& r, const Error& e) {
  std::string more;
  if (limit_reached(e) == Limit::work) more = fmt::format("; raise it with --work {}", 10 * r.work);
  if (limit_reached(e) == Limit::memory) more = fmt::format("; raise it with --memory {}", 4 * r.megabytes);
  return report_error(r, to_string(e.kind()), e.message() + more, e.what() + more, e.position().line,
                      e.position().column, exit_code_of(e.kind()));
}

// What to do instead of an option that the command did not look at.
std::string remedy(const std::string& name, bool model) {
  if (name == "--wrt" && model) return "a model is derived by its unknowns";
  if (name == "--at" && model) return "change start values in the model, parameters with --set";
  if (name == "--at") return "values are put in with --set";
  if (name == "--assume" && model) return "facts of a model stand in its file (lower, upper)";
  if (name == "--format") return "the answer holds no mathematics to typeset";
  if (name == "--of" || name == "--set") return model ? "leave it out" : "it goes with a model file, or leave it out";
  return "leave it out";
}

void require_used(const Parsed& p) {
  std::vector<std::string> unused;
  const bool model = is_model(p.request->inputs.empty() ? std::string() : p.request->inputs[0]);
  for (const Parsed::Given& g : p.given) {
    if (!*g.read) unused.push_back(g.name);
  }
  if (unused.empty()) return;
  throw Error(ErrorKind::usage, fmt::format("{} {} no meaning for '{}' with {}: {}", fmt::join(unused, " and "),
                                            unused.size() == 1 ? "has" : "have", p.request->command,
                                            model ? "a model" : "these inputs and options", remedy(unused[0], model)));
}

Json json_of_answer(const Request& r, const Answer& a, double seconds) {
  Json j{{"ok", a.exit_code == 0},
         {"command", r.command},
         {"input", r.inputs.size() == 1 ? Json(r.inputs[0]) : Json(r.inputs)}};
  for (const auto& [key, value] : a.json.fields()) j[key] = value;
  for (const char* key : {"conditions", "exceptions"}) {
    if (!j.contains(key)) j[key] = Json::array();
  }
  j["warnings"] = *r.warnings;
  if (a.exit_code != 0)
    j["error"] = {{"kind", "check"}, {"message", "the cross-check disagrees"}, {"line", 0}, {"column", 0}};
  j["seconds"] = seconds;
  return j;
}

void collect_notices(const Request& r) {
  for (const boreon::Notice& n : *r.notices) {
    r.warn(n.what == boreon::Notice::What::unknown_function
               ? fmt::format("{} (if an unknown function is meant: --unknown {})", n.message, n.name)
               : n.message);
  }
}

// The whole answer in a file, for commands that write none of their own.
void write_answer(const Request& r, const Answer& a, const Json& j) {
  const std::string& path = r.out.get();
  if (path.ends_with(".json")) return boreon::write_output(path, json_text(j), output_policy(r));
  const bool tex = path.ends_with(".tex");
  const bool marked = path.ends_with(".html") || path.ends_with(".xml") || path.ends_with(".mml");
  const std::string head = fmt::format("{}Boreon: {} {}{}\n",
                                       tex      ? "% "
                                       : marked ? "<!-- "
                                                : "# ",
                                       r.command, fmt::join(r.inputs, " "), marked ? " -->" : "");
  boreon::write_output(path, head + tidy(a.text), output_policy(r));
}

int carry_out(const Parsed& p) {
  const Request& r = *p.request;
  const auto start = std::chrono::steady_clock::now();
  try {
    // Each step of the demo has a budget of its own.
    const boreon::WorkBudget budget(r.command == "demo" ? ~std::uint64_t{0} - 1 : r.work, 1'000'000 * r.megabytes);
    Answer a = p.command->run(r);
    collect_notices(r);
    const bool to_file = !*r.out.read() && !r.out.peek().empty();
    if (to_file) (void)r.out.get();
    require_used(p);
    const Json j =
        json_of_answer(r, a, std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    if (to_file) {
      write_answer(r, a, j);
      a.text = fmt::format("written to {}\n", r.out.get());
    }
    if (!r.json) {
      for (const std::string& w : *r.warnings) a.text += fmt::format("warning: {}\n", w);
    }
    print(stdout, r.json ? json_text(j) : harmless(tidy(a.text)));
    return a.exit_code;
  } catch (const Error& e) {
    return report_error(r, e);
  } catch (const boreon::Stopped& s) {
    return report_error(r, s.error());
  } catch (const std::bad_alloc&) {
    return report_error(r, "limit", "there is not enough memory for this request",
                        "there is not enough memory for this request", 0, 0, 1);
  } catch (const std::exception& e) {
    const std::string message = std::string("this should not happen: ") + e.what();
    return report_error(r, "internal", message, message, 0, 0, 1);
  }
}

}  // namespace

int boreon::cli::run_tool(int argc, char** argv) {
  const std::vector<std::string> words(argv + (argc > 0 ? 1 : 0), argv + argc);
  try {
    const Parsed p = parsed(words);
    if (p.command != nullptr) return carry_out(p);
    print(stdout, p.help);
    return 0;
  } catch (const Error& e) {
    Request r;
    r.json = std::find(words.begin(), words.end(), "--json") != words.end();
    return report_error(r, e);
  }
}
