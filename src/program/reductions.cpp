// SPDX-License-Identifier: MIT
#include "program/reductions.hpp"

#include <algorithm>
#include <numeric>

#include "program/builder.hpp"
#include "program/row_loops.hpp"
#include "program/sum_loops.hpp"

namespace boreon {
namespace {

constexpr std::size_t parts = 32;      // terms of a partial sum
constexpr std::size_t most_last = 64;  // terms of the last one

// Adds entries of the written scratch until few are left.
std::vector<std::uint32_t> partial_sums(std::vector<std::uint32_t> places, RowSources& sources, Program& program) {
  while (places.size() > most_last) {
    std::vector<std::vector<std::uint32_t>> columns(parts);
    const std::size_t rows = cut_into_columns(places, columns);
    std::vector<std::uint32_t> sums(rows);
    std::iota(sums.begin(), sums.end(), sources.written);
    sources.written += static_cast<std::uint32_t>(rows);
    program.loops.push_back(sum_loop(std::move(columns), written_group, written_group, sums));
    sums.insert(sums.end(), places.begin() + static_cast<std::ptrdiff_t>(parts * rows), places.end());
    places = std::move(sums);
  }
  return places;
}

// A loop of one row: expressions of entries and sums, once all loops before have run.
class OneRow {
 public:
  explicit OneRow(const RowSources& sources) : sources_(sources) { loop_.rows = 1, loop_.tables.emplace_back(); }

  Operand slot(std::uint32_t group, std::uint32_t entry) {
    loop_.slots.push_back({group, 0, static_cast<std::int32_t>(entry)});
    return {2, static_cast<std::uint32_t>(loop_.slots.size() - 1)};
  }
  // False if there are symbols that are no inputs.
  bool add(std::span<const Expr> roots, const ProgramOptions& options, std::vector<Operand>& values) {
    NodeMap<Operand> slots;
    postorder(
        roots,
        [&](const Expr& e) {
          if (const Operand* o = sources_.operands.find(e); o != nullptr)
            slots[e] = slot(sources_.group(packed(*o)), o->index);
        },
        [&](const Expr& e) { return sources_.operands.find(e) == nullptr; });
    return lower(roots, slots, options.optimise, loop_.body, values).empty();
  }
  void write(std::uint32_t group, std::uint32_t entry, Operand value) {
    loop_.targets.push_back({group, 0, static_cast<std::int32_t>(entry)});
    results_.push_back(value);
  }
  [[nodiscard]] Program& body() { return loop_.body; }
  RowLoop finish() {
    loop_.body.inputs.push_back({"entry", {}, loop_.slots.size(), std::nullopt});
    loop_.body.outputs.push_back({"row", {}, results_.size(), std::nullopt});
    loop_.body.results.push_back(std::move(results_));
    remove_unused(loop_.body);
    join_sine_cosine(loop_.body);
    return std::move(loop_);
  }

 private:
  const RowSources& sources_;
  RowLoop loop_;
  std::vector<Operand> results_;
};

// Terms of one shape side by side, in the order of their entries.
std::vector<Expr> in_order(std::vector<Expr> terms, Families& families) {
  std::vector<Expr> ordered;
  ordered.reserve(terms.size());
  for (Family& f : families.list) {
    std::vector<std::size_t> order(f.bundles.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    const auto entries = [&](std::size_t b) { return std::span(f.entries).subspan(b * f.slots, f.slots); };
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return std::ranges::lexicographical_compare(entries(a), entries(b));
    });
    std::vector<std::uint64_t> sorted;
    std::vector<std::uint32_t> bundles;
    std::vector<std::uint32_t> order_of;
    for (const std::size_t b : order) {
      sorted.insert(sorted.end(), entries(b).begin(), entries(b).end());
      bundles.push_back(static_cast<std::uint32_t>(ordered.size()));
      order_of.push_back(f.order(b));
      ordered.push_back(terms[f.bundles[b]]);
    }
    f.entries = std::move(sorted);
    f.bundles = std::move(bundles);
    f.order_of = std::move(order_of);
  }
  for (std::uint32_t& b : families.left) {
    ordered.push_back(terms[b]);
    b = static_cast<std::uint32_t>(ordered.size() - 1);
  }
  return ordered;
}

bool reduce(const Expr& e, const ProgramOptions& options, RowSources& sources, Program& program) {
  std::vector<Expr> terms;
  for (const auto [term, c] : Parts(e)) terms.push_back(c.is_integer(1) ? term : c * term);
  OutputGroup group("terms", terms);
  RowSet set;
  set.outputs = std::span(&group, 1);
  set.groups = {0};
  set.rows = terms.size();
  Families families = read_families(set, sources.operands);
  std::size_t looped = 0;
  for (const Family& f : families.list) looped += f.bundles.size() >= options.least_rows ? f.bundles.size() : 0;
  if (2 * looped < terms.size()) return false;
  group.values = in_order(std::move(terms), families);
  set.written_at = sources.written;
  sources.written += static_cast<std::uint32_t>(group.values.size());
  LoopMaker maker(set, sources, options, program);
  std::vector<std::uint32_t> left = families.left;
  const std::size_t before = program.loops.size();
  for (const Family& f : families.list) maker.add(f, left);
  OneRow last(sources);
  std::vector<Expr> rest{e.operands()[0]};
  for (const std::uint32_t b : left) rest.push_back(group.values[b]);
  const Expr rest_sum = add(rest);
  std::vector<Operand> value;
  if (!last.add(std::span(&rest_sum, 1), options, value)) {  // the message about the missing symbol comes later
    program.loops.resize(before);
    return false;
  }
  std::sort(left.begin(), left.end());
  std::vector<std::uint32_t> places;
  for (std::uint32_t b = 0; b < group.values.size(); ++b) {
    if (!std::binary_search(left.begin(), left.end(), b)) places.push_back(*set.written_at + b);
  }
  places = partial_sums(std::move(places), sources, program);
  ProgramBuilder build(last.body());
  Operand sum = value[0];
  for (const std::uint32_t p : places) sum = build.add(sum, last.slot(written_group, p));
  const std::uint32_t place = sources.written++;
  last.write(written_group, place, sum);
  program.loops.push_back(last.finish());
  sources.operands[e] = {sources.sum_space(), place};
  sources.sums.emplace(place, e);
  return true;
}

}  // namespace

bool find_reductions(std::span<const Expr> roots, const ProgramOptions& options, RowSources& sources,
                     Program& program) {
  std::vector<Expr> candidates;
  postorder(
      roots,
      [&](const Expr& e) {
        if (e.is(Kind::sum) && e.operands().size() > 2 * options.least_terms && sources.operands.find(e) == nullptr)
          candidates.push_back(e);
      },
      [](const Expr& e) { return !needs_numbers_inside(e); });
  bool any = false;
  for (const Expr& e : candidates) any = reduce(e, options, sources, program) || any;  // those inside others come first
  return any;
}

std::vector<Store> finish_reductions(std::span<const OutputGroup> outputs, std::vector<Store> open,
                                     const ProgramOptions& options, RowSources& sources, Program& program) {
  if (sources.sums.empty()) return open;
  std::vector<Expr> roots;
  for (const Store& s : open) roots.push_back(outputs[s.group].values[s.index]);
  // Whether a sum stands below each node.
  NodeMap<char> depends;
  postorder(
      roots,
      [&](const Expr& e) {
        const Operand* const o = sources.operands.find(e);
        char d = o != nullptr && o->space == sources.sum_space() ? 1 : 0;
        if (o == nullptr) {
          for (const Expr& operand : e.operands()) {
            const char* const known = depends.find(operand);
            if (known != nullptr && *known != 0) d = 1;
          }
        }
        depends[e] = d;
      },
      [&](const Expr& e) { return sources.operands.find(e) == nullptr; });
  std::vector<Store> others;
  std::vector<Store> mine;
  std::vector<Expr> values;
  for (std::size_t i = 0; i < open.size(); ++i) {
    if (depends.at(roots[i]) == 0) {
      others.push_back(open[i]);
    } else {
      mine.push_back(open[i]);
      values.push_back(roots[i]);
    }
  }
  if (mine.empty()) return others;
  OneRow row(sources);
  std::vector<Operand> results;
  if (!row.add(values, options, results)) return open;
  for (std::size_t i = 0; i < mine.size(); ++i) row.write(mine[i].group, mine[i].index, results[i]);
  program.loops.push_back(row.finish());
  return others;
}

void place_written(Program& program, std::size_t written) {
  const auto move = [&](RowLoop::Place& p) {
    if (p.group != written_group) return;
    p.group = Program::scratch_group;
    p.offset += static_cast<std::int32_t>(program.scratch.size());
  };
  for (RowLoop& l : program.loops) {
    std::for_each(l.slots.begin(), l.slots.end(), move);
    std::for_each(l.targets.begin(), l.targets.end(), move);
  }
  program.written_scratch = written;
}

}  // namespace boreon
