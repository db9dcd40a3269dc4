// SPDX-License-Identifier: MIT
// Draws how fast numeric functions are: bench_figure RESULTS.json FIGURE.png, from boreon_bench
// --benchmark_format=json.
#include <cstdio>
#include <exception>
#include <fstream>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <string>

#include "boreon/figure.hpp"

int main(int argc, char** argv) {
  if (argc != 3) {
    std::fputs("use: bench_figure RESULTS.json FIGURE.png\n", stderr);
    return 2;
  }
  try {
    std::ifstream file(argv[1]);
    std::map<std::string, double> ratios;  // by the name up to the second stroke: what/model or what/model/machine
    const nlohmann::json results = nlohmann::json::parse(file);
    for (const auto& b : results.at("benchmarks")) {
      const std::string name = b["name"];
      if (b.contains("ratio")) ratios[name.substr(0, name.find("/iterations"))] = b["ratio"];
    }
    const auto ratio = [&](const std::string& name) {
      const auto at = ratios.find(name);
      return at == ratios.end() ? std::numeric_limits<double>::quiet_NaN() : at->second;
    };
    boreon::Figure one{"One point: time of a call against C++ by hand (g++ -O3 -march=native)",
                       "",
                       "time / time by hand",
                       {},
                       {"chemistry", "three bodies", "triple pendulum", "ionisation", "grid 64x64"}};
    boreon::Curve by_hand{"by hand", {}, {}};
    boreon::Curve emitted{"emitted C, -O3 -march=native", {}, {}};
    boreon::Curve kernel{"machine code", {}, {}};
    for (const char* model : {"chemistry", "three_bodies", "triple_pendulum", "ionisation", "grid_64"}) {
      const double k = ratio(std::string("one_point_vs_by_hand/") + model);
      by_hand.y.push_back(1);
      emitted.y.push_back(k / ratio(std::string("one_point_vs_emitted_c/") + model));
      kernel.y.push_back(k);
    }
    one.curves = {by_hand, emitted, kernel};
    boreon::Figure many{"256 points at once: times faster than one call for each",
                        "",
                        "times faster",
                        {},
                        {"chemistry", "three bodies", "triple pendulum", "ionisation"}};
    boreon::Curve avx2{"AVX2", {}, {}};
    boreon::Curve avx512{"AVX-512", {}, {}};
    for (const char* model : {"chemistry", "three_bodies", "triple_pendulum", "ionisation"}) {
      avx2.y.push_back(1 / ratio(std::string("many_points_vs_one_by_one/") + model + "/AVX2"));
      avx512.y.push_back(1 / ratio(std::string("many_points_vs_one_by_one/") + model + "/AVX-512"));
    }
    many.curves = {avx2, avx512};
    boreon::write_figures({one, many}, argv[2]);
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
  return 0;
}
