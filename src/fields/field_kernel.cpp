// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "boreon/fields.hpp"
#include "fields/nest.hpp"
#include "fields/sum_nests.hpp"
#include "program/threads.hpp"

namespace boreon {
namespace {

constexpr std::size_t least_share = 2048;  // places of a nest that are worth a thread

}  // namespace

struct FieldKernel::Nests {
  std::shared_ptr<const FieldSystem> system;
  std::vector<SumNests> sums;
  std::vector<FieldNest> list;
  // Entries whose numbers are listed: what terms give is added up.
  struct Listed {
    FieldNest nest;
    std::shared_ptr<const FieldBox::Row::Listed> numbers;
    std::size_t terms;
  };
  std::vector<Listed> listed;
  std::size_t state = 0;
  std::size_t workspace = 0;
};

FieldKernel::FieldKernel(const FieldPlan& plan, FieldOutput output)
    : FieldKernel(plan, output, [](std::shared_ptr<const Program> p) { return make_interpreter(std::move(p)); }) {}

FieldKernel::FieldKernel(const FieldPlan& plan, FieldOutput output, const ExecutorMaker& maker)
    : outputs_(output == FieldOutput::values ? plan.rows() : plan.nonzeros()) {
  auto nests = std::make_shared<Nests>();
  nests->system = plan.shared_system();
  nests->state = plan.columns();
  if (output == FieldOutput::jacobian) plan.require_jacobian();
  for (const FieldSum& s : plan.sums()) {
    nests->sums.emplace_back(plan.system(), s, maker);
    nests->workspace = std::max(nests->workspace, nests->sums.back().workspace());
  }
  for (const FieldBox& box : plan.boxes()) {
    std::vector<NestTarget> targets;
    for (const FieldBox::Row& r : box.rows) {
      if (output == FieldOutput::jacobian && r.listed) {
        std::vector<Expr> values;
        for (const FieldTerm& t : r.terms) values.push_back(t.value);
        if (values.empty()) continue;
        nests->listed.push_back({FieldNest(plan.system(), box, values, false, maker), r.listed, values.size()});
        nests->workspace = std::max(nests->workspace, nests->listed.back().nest.workspace());
        continue;
      }
      if (output == FieldOutput::values) targets.push_back({r.value, r.base, r.strides});
      for (std::size_t t = 0; output == FieldOutput::jacobian && t < r.terms.size(); ++t)
        targets.push_back({r.terms[t].value, r.first + static_cast<std::int64_t>(t), r.steps});
    }
    if (targets.empty()) continue;
    nests->list.emplace_back(plan.system(), box, std::move(targets), maker);
    nests->workspace = std::max(nests->workspace, nests->list.back().workspace());
  }
  nests_ = std::move(nests);
}

void FieldKernel::operator()(std::span<const double> state, std::span<const double> parameters, double time,
                             std::span<double> output, unsigned threads) const {
  const auto require = [](std::size_t given, std::size_t wanted, const char* what) {
    if (given == wanted) return;
    throw Error(ErrorKind::shape, fmt::format("{} numbers are given as {}, but {} are needed", given, what, wanted));
  };
  const FieldSystem& system = *nests_->system;
  require(state.size(), nests_->state, "the state");
  require(parameters.size(), system.parameters.size(), "parameters");
  require(output.size(), outputs_, "the output");
  std::vector<const double*> arrays{state.data()};
  for (const Field& f : system.data) arrays.push_back(f.values->data());
  std::vector<std::vector<double>> sums(nests_->sums.size());
  for (std::size_t k = 0; k < sums.size(); ++k) {
    sums[k] = nests_->sums[k]({arrays, parameters.data(), &time, nullptr}, threads);
    arrays.push_back(sums[k].data());
  }
  const NestMemory memory{arrays, parameters.data(), &time, output.data()};
  const auto run = [&](const FieldNest& n, const NestSink& sink) {
    const std::size_t shares =
        std::min<std::size_t>({threads, n.lines(), std::max<std::size_t>(1, n.places() / least_share)});
    if (shares <= 1) {
      n.run(0, n.lines(), memory, nest_memory(nests_->workspace), sink);
      return;
    }
    run_in_threads(shares, [&](std::size_t s) {
      n.run(n.lines() * s / shares, n.lines() * (s + 1) / shares, memory, nest_memory(nests_->workspace), sink);
    });
  };
  for (const FieldNest& n : nests_->list) run(n, {});
  for (const Nests::Listed& l : nests_->listed) {
    for (const std::int64_t at : l.numbers->entries) output[static_cast<std::size_t>(at)] = 0;
  }
  for (const Nests::Listed& l : nests_->listed) {
    run(l.nest, [&](const NestPart& part) {
      for (std::size_t q = 0; q < part.count; ++q) {
        const std::int64_t* const at = l.numbers->entries.data() + (part.first_place + q * part.place_step) * l.terms;
        for (std::size_t t = 0; t < l.terms; ++t)
          output[static_cast<std::size_t>(at[t])] += part.values[t * part.stride + q];
      }
    });
  }
}

std::string FieldKernel::method() const {
  return !nests_->list.empty()     ? nests_->list[0].method()
         : !nests_->listed.empty() ? nests_->listed[0].nest.method()
                                   : "nothing to do";
}
std::size_t FieldKernel::nests() const { return nests_->list.size() + nests_->listed.size(); }

std::size_t FieldKernel::code_size() const {
  std::size_t n = 0;
  for (const FieldNest& nest : nests_->list) n += nest.code_size();
  for (const Nests::Listed& l : nests_->listed) n += l.nest.code_size();
  for (const SumNests& sum : nests_->sums) n += sum.code_size();
  return n;
}

}  // namespace boreon
