// generate: source text of a model.
#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "request.hpp"

namespace boreon::cli {
namespace {

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

std::string literals(const std::vector<double>& values) {
  std::string s;
  for (std::size_t i = 0; i < values.size(); ++i) s += fmt::format("{}{:.17g}", i == 0 ? "" : i % 6 == 0 ? ",\n    " : ", ", values[i]);
  return values.empty() ? "0" : s;
}

// A small program that evaluates the generated function at the start values and compares with what Boreon computed.
std::string self_test(const std::string& name, const Kernel& kernel, const std::vector<std::vector<double>>& inputs, bool cpp) {
  const Program& p = kernel.program();
  const auto expected = kernel.evaluate(inputs);
  std::string s = fmt::format("{}Compares {} with values computed when it was generated. Exit code 0: they agree.{}\n", cpp ? "// " : "/* ", name, cpp ? "" : " */");
  s += fmt::format("#include \"{}.{}\"\n\n#include <math.h>\n#include <stdio.h>\n\n", name, cpp ? "hpp" : "h");
  for (std::size_t g = 0; g < inputs.size(); ++g) s += fmt::format("static const double in_{}[] = {{{}}};\n", p.inputs[g].name, literals(inputs[g]));
  for (std::size_t g = 0; g < expected.size(); ++g) {
    s += fmt::format("static const double expected_{}[] = {{{}}};\n", p.outputs[g].name, literals(expected[g]));
    s += fmt::format("static double out_{}[{}];\n", p.outputs[g].name, std::max<std::size_t>(1, p.outputs[g].size));
  }
  s += "\nstatic int differ(const char* what, const double* got, const double* expected, int n) {\n  int bad = 0;\n  for (int i = 0; i < n; ++i) {\n"
       "    if (fabs(got[i] - expected[i]) > 1e-12*fabs(expected[i])) {\n      printf(\"%s[%d] = %.17g, expected %.17g\\n\", what, i, got[i], expected[i]);\n      ++bad;\n    }\n "
       " }\n  return bad;\n}\n\n";
  s += "int main(void) {\n  int bad = 0;\n";
  std::string args;
  for (const auto& g : p.inputs) args += (args.empty() ? "in_" : ", in_") + g.name;
  for (const auto& g : p.outputs) args += (args.empty() ? "out_" : ", out_") + g.name;
  s += fmt::format("  {}({});\n", cpp ? name + "::evaluate" : name, args);
  for (const auto& g : p.outputs) s += fmt::format("  bad += differ(\"{0}\", out_{0}, expected_{0}, {1});\n", g.name, g.size);
  s += "  puts(bad == 0 ? \"agrees\" : \"DISAGREES\");\n  return bad == 0 ? 0 : 1;\n}\n";
  return s;
}

}  // namespace

Answer generate(const Request& r) {
  if (!is_model(r.inputs.at(0))) throw Error(ErrorKind::usage, "generate takes a model file (.toml)");
  const Model m = model_of(r);
  const System s = system_of(m);
  const bool cpp = r.language == "c++" || r.language == "cpp";
  const std::string name = identifier(r.name.empty() ? std::filesystem::path(r.inputs[0]).stem().string() : r.name);
  const std::filesystem::path folder = r.out.empty() ? std::filesystem::path(".") : std::filesystem::path(r.out);
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (!std::filesystem::is_directory(folder)) throw Error(ErrorKind::io, fmt::format("the folder '{}' cannot be made", folder.string()));
  const std::vector<InputGroup> inputs{{"y", s.states, s.state_names}, {"p", s.parameters, s.parameter_names}, {"t", {s.time}}};
  const std::vector<std::vector<double>> values{s.start, s.parameter_values, {m.run.from}};
  const SparseMatrix j = sparse_jacobian(s.residuals, s.states);
  struct Part {
    std::string name;
    std::vector<OutputGroup> outputs;
    std::string what;
  };
  std::vector<Part> parts{{name + "_residual", {{"f", s.residuals}}, s.right_sides.empty() ? "residuals of the equations" : "rates of the states"},
                          {name + "_jacobian", {{"f", s.residuals}, {"jacobian", j}}, "the same with the sparse Jacobian, sharing their subexpressions"}};
  if (!s.outputs.empty()) parts.push_back({name + "_outputs", {{"g", s.outputs}}, "outputs"});
  Answer a;
  a.text = fmt::format("{}: source in {}\n", m.title.empty() ? m.path : m.title, cpp ? "C++" : "C99");
  a.json["files"] = Json::array();
  const auto put = [&](const std::string& file, const std::string& text) {
    write_file((folder / file).string(), text);
    a.json["files"].push_back((folder / file).string());
  };
  for (const Part& part : parts) {
    const Kernel kernel = compile(part.outputs, inputs);
    const EmittedSource source = emit(kernel.program(), {cpp ? Language::cpp : Language::c, part.name, (m.title.empty() ? name : m.title) + ": " + part.what});
    put(source.header_name, source.header);
    put(source.source_name, source.source);
    if (!source.template_name.empty()) put(source.template_name, source.template_text);
    put(part.name + "_test" + (cpp ? ".cpp" : ".c"), self_test(part.name, kernel, values, cpp));
    a.text += fmt::format("  {}, {}: {} ({} operations)\n", source.header_name, source.source_name, part.what, kernel.program().operation_count());
  }
  a.text += fmt::format("try: {0} -O2 -ffp-contract=off {1}/{2}_jacobian{3} {1}/{2}_jacobian_test{3} -lm -o {2}_test && ./{2}_test\n", cpp ? "c++" : "cc", folder.string(), name,
                        cpp ? ".cpp" : ".c");
  const Evidence e = r.no_check ? Evidence{} : cross_check(s.residuals, s.states, j, check_options(m, s));
  a.text += fmt::format("check of the Jacobian: {}\n", e.to_string());
  a.json["result"] = a.json["files"];
  a.json["status"] = "exact";
  a.json["check"] = json_of(e);
  return a;
}

}  // namespace boreon::cli
