// SPDX-License-Identifier: MIT
// generate: source text of a model.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "boreon/native.hpp"
#include "command.hpp"

namespace boreon::cli {
namespace {

struct GenerateRequest : Request {
  Option<std::string> language{"c++"};
  Option<std::string> name;
  Option<bool> eigen{false};
  Option<std::vector<std::string>> show;
  Option<bool> no_check{false};

  void declare(Declaration& d) override {
    d.add("--language", language, "c++ or c").one_of({"c++", "cpp", "c"});
    d.add("--name", name, "name of files and functions (default: that of the model file)");
    d.add("--eigen", eigen, "C++: also functions on Eigen's vectors and sparse matrices");
    d.add("--show", show, "print operations, program or assembly instead of writing files")
        .one_of({"operations", "program", "assembly"});
    d.add("--no-check", no_check, "skip the comparison with independent numerics");
  }
};

// A file or model name as an identifier of C.
std::string identifier(const std::string& text) {
  std::string out;
  for (const char c : text) {
    const bool good = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
    out += good ? c : '_';
  }
  if (out.empty() || (out[0] >= '0' && out[0] <= '9')) out = "model_" + out;
  return out;
}

// For a package of a model whose file is named so: int_model for int.toml, test_model for test.toml.
std::string package_name(const std::string& stem) {
  const std::string name = identifier(stem);
  return is_package_name(name) ? name : name + "_model";
}

struct Part {
  std::string name;
  std::vector<OutputGroup> outputs;
  std::string what;
};

// Where the self-test of the source is done: the start values, or a point beside them at which all functions are
// finite.
struct TestPoint {
  std::vector<std::vector<double>> values;
  std::size_t undefined = 0;  // entries without a finite value
  bool moved = false;
};

TestPoint test_point(const std::vector<Program>& programs, const System& s, double time) {
  std::vector<Kernel> kernels;
  for (const Program& program : programs) kernels.emplace_back(program);
  const auto undefined = [&](const std::vector<std::vector<double>>& at) {
    std::size_t count = 0;
    for (const Kernel& k : kernels) {
      for (const auto& group : k.evaluate(at))
        count += static_cast<std::size_t>(
            std::count_if(group.begin(), group.end(), [](double v) { return !std::isfinite(v); }));
    }
    return count;
  };
  TestPoint best{{s.start, s.parameter_values, {time}}, 0, false};
  best.undefined = undefined(best.values);
  for (int k = 1; k <= 20 && best.undefined > 0; ++k) {
    std::vector<double> y = s.start;
    for (std::size_t i = 0; i < y.size(); ++i) {
      y[i] += 0.05 * k * (y[i] != 0 ? std::fabs(y[i]) : 1) * (1 + 0.1 * static_cast<double>(i % 7));
      y[i] = std::clamp(y[i], s.lower[i], s.upper[i]);
    }
    TestPoint other{{y, s.parameter_values, {time + 0.01 * k}}, 0, true};
    other.undefined = undefined(other.values);
    if (other.undefined < best.undefined) best = std::move(other);
  }
  return best;
}

// --show: what the functions consist of, instead of files.
Answer shown(const GenerateRequest& r, const std::vector<Part>& parts, const std::vector<InputGroup>& inputs,
             const std::string& title) {
  Answer a;
  a.text = title + "\n";
  a.json["result"] = Json::object();
  for (const Part& part : parts) {
    const Program program = make_program(part.outputs, inputs);
    Json& result = a.json["result"][part.name];
    a.text += fmt::format("\n{}: {}\n", part.name, part.what);
    for (const std::string& what : r.show) {
      if (what == "operations") {
        const Program plain = make_program(part.outputs, inputs, {.optimise = false});
        a.text += fmt::format("  {} operations, {} before optimisation\n", program.operation_count(),
                              plain.operation_count());
        for (const auto& [operation, times] : operation_table(program)) {
          a.text += fmt::format("  {:>12} {}\n", operation, times);
          result["operations"][operation] = times;
        }
        result["total"] = program.operation_count();
        result["before"] = plain.operation_count();
      } else if (what == "program") {
        a.text += to_text(program);
        result["program"] = to_text(program);
      } else {
        const Kernel kernel = native_kernel(program, {.expected_calls = 1e9, .name = part.name});
        const std::string listing = kernel.listing();
        a.text += listing.empty() ? "  interpreted on this processor: there is no machine code\n" : listing;
        result["assembly"] = listing;
      }
    }
  }
  a.json["status"] = "exact";
  return a;
}

Answer answer_to(const GenerateRequest& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "generate takes a model file (.toml)");
  const Model m = model_of(r);
  const System s = system_of(m);
  const bool cpp = *r.language == "c++" || *r.language == "cpp";
  const std::string name =
      r.name.empty() ? package_name(std::filesystem::path(r.inputs[0]).stem().string()) : identifier(*r.name);
  if (!cpp && r.eigen) throw Error(ErrorKind::usage, "--eigen has no meaning for C: Eigen is a library of C++");
  if (r.show.empty()) {
    if (r.out.empty())
      throw Error(ErrorKind::usage, fmt::format("say into which folder the source goes: --out {}", name));
    make_output_folder(*r.out);
  }
  const std::vector<InputGroup> inputs{
      {"y", s.states, s.state_names}, {"p", s.parameters, s.parameter_names}, {"t", {s.time}}};
  const SparseMatrix j = sparse_jacobian(s.residuals, s.states);
  std::vector<Part> parts{{name + "_residual",
                           {{"f", s.residuals}},
                           s.right_sides.empty() ? "residuals of the equations" : "rates of the states"},
                          {name + "_jacobian",
                           {{"f", s.residuals}, {"jacobian", j}},
                           "the same with the sparse Jacobian, sharing their subexpressions"}};
  if (!s.outputs.empty()) parts.push_back({name + "_outputs", {{"g", s.outputs}}, "outputs"});
  const std::string title = m.title.empty() ? name : m.title;
  Answer a;
  if (!r.show.empty())
    return shown(r, parts, inputs, title);  // --out takes what is shown, as for every command that prints
  const std::filesystem::path folder(*r.out);
  a.text = fmt::format("{}: source in {}\n", m.called(), cpp ? "C++" : "C99");
  a.json["files"] = Json::array();
  std::vector<Program> programs;
  for (const Part& part : parts) programs.push_back(make_program(part.outputs, inputs));
  const TestPoint place = test_point(programs, s, m.run.from);
  if (place.moved)
    r.warn(
        "the functions are not all finite at the start values; the self-test of the source is done at a point beside "
        "them");
  if (place.undefined > 0)
    r.warn(fmt::format("{} entries have no finite value at the point of the self-test and are not compared there",
                       place.undefined));
  std::vector<PackagePart> package;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const Part& part = parts[k];
    package.push_back({std::move(programs[k]),
                       {cpp ? Language::cpp : Language::c, part.name, title + ": " + part.what, cpp && r.eigen},
                       place.values});
    const std::size_t before = make_program(part.outputs, inputs, {.optimise = false}).operation_count();
    a.text += fmt::format("  {}: {} ({} operations, {} before optimisation)\n", part.name, part.what,
                          package.back().program.operation_count(), before);
  }
  const OutputPolicy policy = output_policy(r);
  for (const EmittedFile& file : emit_package(name, package)) {
    write_output((folder / file.name).string(), file.text, policy);
    a.json["files"].push_back((folder / file.name).string());
  }
  a.text += fmt::format("try: cmake -S {0} -B {0}/build && cmake --build {0}/build && ctest --test-dir {0}/build\n",
                        folder.string());
  const Evidence e = r.no_check ? Evidence{} : cross_check(s.residuals, s.states, j, check_options(m, s));
  a.text += fmt::format("check of the Jacobian: {}\n", e.to_string());
  a.json["result"] = a.json["files"];
  a.json["status"] = "exact";
  a.json["check"] = json_of(e);
  return a;
}

}  // namespace

Command generate_command() {
  return command<GenerateRequest>("generate", "write residual, Jacobian and outputs as C or C++ source",
                                  "  boreon generate model.toml --language c++ --out generated\n"
                                  "  boreon generate model.toml --language c --name chemistry --out generated\n"
                                  "  boreon generate model.toml --show operations\n"
                                  "  boreon generate model.toml --show assembly\n",
                                  answer_to);
}

}  // namespace boreon::cli
