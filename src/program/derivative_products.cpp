// SPDX-License-Identifier: MIT
// Products with derivatives of whole programs: their instructions, and loops over rows.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>

#include "boreon/error.hpp"
#include "program/differentiate.hpp"
#include "program/passes.hpp"
#include "program/sum_loops.hpp"

namespace boreon {
namespace {

void add_product(Program& p, std::vector<Operand> values) {
  p.outputs.push_back({"product", {}, values.size(), std::nullopt});
  p.results.push_back(std::move(values));
}

// Whether a place of the scratch is what instructions keep for loops, and not what loops keep for others.
bool is_fixed(const Program& p, const RowLoop& l, const RowLoop::Place& place) {
  return l.entry(place, 0) < p.scratch.size();
}

// The body of a loop with places for entries that are added to those it reads.
class LoopDerivative {
 public:
  explicit LoopDerivative(const RowLoop& loop) : loop(loop), body(loop.body) {
    for (std::size_t t = 0; t < loop.targets.size(); ++t) results_.push_back(body.now(loop.body.results[0][t]));
  }

  Operand read(const RowLoop::Place& place) {
    const auto slot = static_cast<std::uint32_t>(loop.slots.size());
    loop.slots.push_back(place);
    return {2, slot};
  }
  std::uint32_t table(IndexTable t) {
    loop.tables.push_back(std::move(t));
    return static_cast<std::uint32_t>(loop.tables.size() - 1);
  }
  void write(const RowLoop::Place& place, Operand value) {
    loop.targets.push_back(place);
    results_.push_back(value);
  }
  RowLoop finish() {
    Program& p = body.program();
    p.inputs[0].size = loop.slots.size();
    p.outputs[0].size = loop.targets.size();
    p.results[0] = std::move(results_);
    loop.body = body.finish();
    return std::move(loop);
  }

  RowLoop loop;
  Differentiation body;

 private:
  std::vector<Operand> results_;
};

Program forward_product(const Program& p, std::size_t output, std::size_t input, const std::string& direction) {
  Differentiation main(p);
  const std::uint32_t seed = main.add_input(direction, p.inputs[input].size);
  const auto derivative = [&](Operand o) -> std::optional<Operand> {
    return o.space == 2 + input ? std::optional(Operand{seed, o.index}) : std::nullopt;
  };
  const auto zero = [&](const std::optional<Operand>& o) { return o.value_or(main.constant(0)); };
  Program& made = main.program();
  const auto products = main.forward(p.results[output], derivative);
  std::vector<Operand> product;
  for (std::size_t i = 0; i < products.size(); ++i)
    product.push_back(p.results[output][i] == Program::by_loop ? Program::by_loop : zero(products[i]));
  // Behind what is kept for loops stand its derivatives; what loops keep for others follows, and its derivatives.
  const std::size_t fixed = p.scratch.size();
  const auto kept = main.forward(p.scratch, derivative);
  for (const Operand o : p.scratch) made.scratch.push_back(main.now(o));
  for (const auto& d : kept) made.scratch.push_back(zero(d));
  made.written_scratch = 2 * p.written_scratch;
  const auto group = static_cast<std::uint32_t>(seed - 2);
  const auto product_group = static_cast<std::uint32_t>(p.outputs.size());
  const auto written = static_cast<std::int32_t>(p.written_scratch);
  for (const RowLoop& l : p.loops) {
    LoopDerivative d(l);
    // Where a place is now, and where its derivative is.
    const auto moved = [&](RowLoop::Place place) {
      if (place.group == Program::scratch_group && !is_fixed(p, l, place))
        place.offset += static_cast<std::int32_t>(fixed);
      return place;
    };
    const auto derivative_of = [&](RowLoop::Place place) {
      place.offset +=
          is_fixed(p, l, place) ? static_cast<std::int32_t>(fixed) : static_cast<std::int32_t>(fixed) + written;
      return place;
    };
    std::map<std::uint32_t, Operand> known;
    const auto slot = [&](Operand o) -> std::optional<Operand> {
      RowLoop::Place place = l.slots[o.index];
      if (place.group == Program::scratch_group) {
        if (is_fixed(p, l, place) && !kept[l.entry(place, 0)]) return std::nullopt;
        place = derivative_of(place);
      } else if (place.group == input) {
        place.group = group;
      } else {
        return std::nullopt;
      }
      const auto at = known.find(o.index);
      return at != known.end() ? at->second : known.emplace(o.index, d.read(place)).first->second;
    };
    const auto values = d.body.forward(l.body.results[0], slot);
    for (std::size_t i = 0; i < l.slots.size(); ++i) d.loop.slots[i] = moved(l.slots[i]);
    for (std::size_t t = 0; t < l.targets.size(); ++t) {
      d.loop.targets[t] = moved(l.targets[t]);
      RowLoop::Place place = l.targets[t];
      if (place.group == Program::scratch_group) {
        place = derivative_of(place);
      } else if (place.group == output) {
        place.group = product_group;
      } else {
        continue;
      }
      d.write(place, values[t].value_or(d.body.constant(0)));
    }
    made.loops.push_back(d.finish());
  }
  add_product(made, std::move(product));
  return main.finish();
}

// The reverse sweep through loops. What a row contributes to a derivative is written down, each contribution in a place
// of its own, and further loops add up those of one entry: so no row ever writes what another one writes. Loops that
// write for others (the terms of a sum) are swept in reverse order, once all have run.
class ReverseProduct {
 public:
  ReverseProduct(const Program& p, std::size_t output, std::size_t input, const std::string& weights)
      : p_(p), output_(output), input_(input), main_(p) {
    weights_ = main_.add_input(weights, p.outputs[output].size) - 2;
    for (const Operand o : p.scratch) main_.program().scratch.push_back(main_.now(o));
    written_ = p.scratch_size();
  }

  Program run() {
    find_dependent();
    std::vector<List> of_entries(p_.inputs[input_].size);
    std::vector<List> of_scratch(p_.scratch_size());
    if (p_.written_scratch == 0) {
      for (const RowLoop& l : p_.loops) main_.program().loops.push_back(rows(l, {}, of_entries, of_scratch));
    } else {
      main_.program().loops = p_.loops;
      for (std::size_t k = p_.loops.size(); k-- > 0;) backwards(p_.loops[k], of_entries, of_scratch);
      of_scratch.resize(p_.scratch.size());  // the others are done
    }
    const std::vector<std::uint32_t> bars = totals(of_scratch);
    instructions(of_scratch, bars, of_entries);
    product(of_entries);
    main_.program().written_scratch = written_ - p_.scratch.size();
    return main_.finish();
  }

 private:
  using List = std::vector<std::uint32_t>;  // places of contributions
  static constexpr std::size_t most = 32;   // terms of one sum

  // Which of the values that are kept for loops depend on the input.
  void find_dependent() {
    const auto others = [&](Operand o) { return o.space != 2 + input_; };
    const std::vector<char> independent = made_of(p_, others);
    for (const Operand o : p_.scratch)
      dependent_.push_back((o.space == 1 ? independent[o.index] != 0 : others(o)) ? 0 : 1);
    dependent_.resize(p_.scratch_size(), 1);
  }

  // The weights of the places that a loop writes for later ones, as its rows find them; nothing for places without.
  using Bars = std::map<std::size_t, IndexTable>;  // by target

  // A loop that also writes down its contributions.
  RowLoop rows(const RowLoop& l, const Bars& bars, std::vector<List>& of_entries, std::vector<List>& of_scratch) {
    LoopDerivative d(l);
    std::vector<Differentiation::Weighted> sum;
    std::map<std::uint32_t, const IndexTable*> bar_of;  // by the slot that reads it
    for (std::size_t t = 0; t < l.targets.size(); ++t) {
      RowLoop::Place place = l.targets[t];
      Operand weight;
      if (const auto at = bars.find(t); at != bars.end()) {
        weight = d.read({Program::scratch_group, d.table(at->second), 0});
        bar_of[weight.index] = &at->second;
      } else if (place.group == output_) {
        place.group = weights_;
        weight = d.read(place);
      } else {
        continue;
      }
      sum.push_back({l.body.results[0][t], weight});
    }
    if (sum.empty()) return d.finish();
    const auto derivatives = d.body.reverse(sum, 0);
    for (std::size_t s = 0; s < l.slots.size(); ++s) {
      const RowLoop::Place& place = l.slots[s];
      const bool scratch = place.group == Program::scratch_group;
      if (!derivatives[s] || (scratch ? dependent_[l.entry(place, 0)] == 0 : place.group != input_)) continue;
      std::vector<List>& of_group = scratch ? of_scratch : of_entries;
      // A term of a sum has the weight of the sum: it is not copied.
      const Operand value = *derivatives[s];
      const auto bar = value.space == 2 ? bar_of.find(value.index) : bar_of.end();
      if (bar != bar_of.end()) {
        for (std::size_t row = 0; row < l.rows; ++row) of_group[l.entry(place, row)].push_back(bar->second->at(row));
        continue;
      }
      IndexTable places;
      places.first = static_cast<std::uint32_t>(written_);
      places.step = 1;
      d.write({Program::scratch_group, d.table(places), 0}, value);
      for (std::size_t row = 0; row < l.rows; ++row) of_group[l.entry(place, row)].push_back(fresh());
    }
    return d.finish();
  }

  // The contributions of a loop that has run already.
  void backwards(const RowLoop& l, std::vector<List>& of_entries, std::vector<List>& of_scratch) {
    Bars bars;
    bool any = false;
    for (std::size_t t = 0; t < l.targets.size(); ++t) {
      any = any || l.targets[t].group == output_;
      if (l.targets[t].group != Program::scratch_group) continue;
      std::vector<List> lists;
      for (std::size_t row = 0; row < l.rows; ++row) lists.push_back(of_scratch[l.entry(l.targets[t], row)]);
      if (std::all_of(lists.begin(), lists.end(), [](const List& list) { return list.empty(); })) continue;
      List to = totals(lists);
      for (std::size_t row = 0; row < l.rows; ++row) {
        if (lists[row].empty()) to[row] = zero();
      }
      bars.emplace(t, index_table(std::move(to)));
    }
    if (!any && bars.empty()) return;
    RowLoop d = rows(l, bars, of_entries, of_scratch);
    // What it has written already is not written again.
    d.targets.erase(d.targets.begin(), d.targets.begin() + static_cast<std::ptrdiff_t>(l.targets.size()));
    auto& results = d.body.results[0];
    results.erase(results.begin(), results.begin() + static_cast<std::ptrdiff_t>(l.targets.size()));
    d.body.outputs[0].size = results.size();
    if (d.targets.empty()) return;
    tidy(d.body);
    main_.program().loops.push_back(std::move(d));
  }

  // A place with the number 0.
  std::uint32_t zero() {
    if (!zero_) {
      zero_ = fresh();
      RowLoop l;
      l.rows = 1;
      ProgramBuilder build(l.body);
      l.tables.push_back({*zero_, 0, {}});
      l.targets.push_back({Program::scratch_group, 0, 0});
      l.body.inputs.push_back({"entry", {}, 0, std::nullopt});
      l.body.outputs.push_back({"row", {}, 1, std::nullopt});
      l.body.results.push_back({build.constant(0)});
      main_.program().loops.push_back(std::move(l));
    }
    return *zero_;
  }

  std::uint32_t fresh() { return static_cast<std::uint32_t>(written_++); }

  // Adds a loop that adds up lists of one length; sum k goes to entry `to[k]` of a group.
  void add_sums(const std::vector<const List*>& lists, std::uint32_t group, List to) {
    std::vector<List> columns(lists[0]->size());
    for (std::size_t k = 0; k < columns.size(); ++k) {
      for (const List* list : lists) columns[k].push_back((*list)[k]);
    }
    main_.program().loops.push_back(sum_loop(std::move(columns), Program::scratch_group, group, std::move(to)));
  }

  // Long lists become lists of sums of parts.
  void shorten(std::vector<List>& lists) {
    for (;;) {
      std::vector<List> columns(most);
      List to;
      for (List& list : lists) {
        if (list.size() <= most) continue;
        const std::size_t rows = cut_into_columns(list, columns);
        List sums;
        for (std::size_t r = 0; r < rows; ++r) sums.push_back(fresh());
        to.insert(to.end(), sums.begin(), sums.end());
        sums.insert(sums.end(), list.begin() + static_cast<std::ptrdiff_t>(most * rows), list.end());
        list = std::move(sums);
      }
      if (to.empty()) return;
      main_.program().loops.push_back(
          sum_loop(std::move(columns), Program::scratch_group, Program::scratch_group, std::move(to)));
    }
  }

  // One place for the sum of each list that is not empty; the group that its lists are of.
  void add_by_length(std::vector<List>& lists, std::uint32_t group, const List& to) {
    shorten(lists);
    std::map<std::size_t, std::pair<std::vector<const List*>, List>> of_length;
    for (std::size_t k = 0; k < lists.size(); ++k) {
      if (lists[k].empty() || (group == Program::scratch_group && lists[k].size() == 1 && lists[k][0] == to[k]))
        continue;
      auto& [members, places] = of_length[lists[k].size()];
      members.push_back(&lists[k]);
      places.push_back(to[k]);
    }
    for (auto& [length, members] : of_length) add_sums(members.first, group, std::move(members.second));
  }

  // Where the sum of each list stands; of one number there where it is.
  List totals(std::vector<List>& lists) {
    List to(lists.size(), 0);
    for (std::size_t k = 0; k < lists.size(); ++k) {
      if (!lists[k].empty()) to[k] = lists[k].size() == 1 ? lists[k][0] : fresh();
    }
    add_by_length(lists, Program::scratch_group, to);
    return to;
  }

  // The instructions of the program as a loop of one row: their weights are known when the loops have run.
  void instructions(const std::vector<List>& of_scratch, const List& bars, std::vector<List>& of_entries) {
    RowLoop l;
    l.rows = 1;
    l.tables.emplace_back();
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> slots;
    const auto inside = [&](Operand o) -> Operand {
      if (o.space < 2) return o;
      const auto [at, fresh] = slots.emplace(std::pair(o.space, o.index), static_cast<std::uint32_t>(l.slots.size()));
      if (fresh) l.slots.push_back({o.space - 2, 0, static_cast<std::int32_t>(o.index)});
      return {2, at->second};
    };
    l.body.constants = p_.constants;
    l.body.functions = p_.functions;
    for (Instruction i : p_.instructions) {
      if (i.operands > 0) i.a = inside(i.a);
      if (i.operands > 1) i.b = inside(i.b);
      if (i.operands > 2) i.c = inside(i.c);
      l.body.instructions.push_back(i);
    }
    struct Wanted {
      Operand value;
      RowLoop::Place weight;
    };
    std::vector<Wanted> wanted;
    for (std::size_t i = 0; i < p_.results[output_].size(); ++i) {
      const Operand o = p_.results[output_][i];
      if (!(o == Program::by_loop)) wanted.push_back({inside(o), {weights_, 0, static_cast<std::int32_t>(i)}});
    }
    for (std::size_t i = 0; i < p_.scratch.size(); ++i) {
      if (!of_scratch[i].empty())
        wanted.push_back({inside(p_.scratch[i]), {Program::scratch_group, 0, static_cast<std::int32_t>(bars[i])}});
    }
    if (wanted.empty()) return;
    l.body.inputs.push_back({"entry", {}, l.slots.size(), std::nullopt});
    l.body.outputs.push_back({"row", {}, 0, std::nullopt});
    l.body.results.emplace_back();
    LoopDerivative d(l);
    std::vector<Differentiation::Weighted> sum;
    for (const Wanted& w : wanted) sum.push_back({w.value, d.read(w.weight)});
    const auto derivatives = d.body.reverse(sum, 0);
    for (std::size_t s = 0; s < l.slots.size(); ++s) {
      if (!derivatives[s] || l.slots[s].group != input_) continue;
      const std::uint32_t place = fresh();
      d.write({Program::scratch_group, 0, static_cast<std::int32_t>(place)}, *derivatives[s]);
      of_entries[static_cast<std::size_t>(l.slots[s].offset)].push_back(place);
    }
    if (!d.loop.targets.empty()) main_.program().loops.push_back(d.finish());
  }

  void product(std::vector<List>& of_entries) {
    List to(of_entries.size());
    std::vector<Operand> values;
    for (std::size_t i = 0; i < of_entries.size(); ++i) {
      to[i] = static_cast<std::uint32_t>(i);
      values.push_back(of_entries[i].empty() ? main_.constant(0) : Program::by_loop);
    }
    add_by_length(of_entries, static_cast<std::uint32_t>(p_.outputs.size()), to);
    add_product(main_.program(), std::move(values));
  }

  const Program& p_;
  std::size_t output_;
  std::size_t input_;
  Differentiation main_;
  std::uint32_t weights_ = 0;
  std::size_t written_ = 0;  // places of the scratch so far
  std::optional<std::uint32_t> zero_;
  std::vector<char> dependent_;  // of the scratch, on the input
};

Program reverse_product(const Program& p, std::size_t output, std::size_t input, const std::string& weights) {
  if (!p.loops.empty()) return ReverseProduct(p, output, input, weights).run();
  Differentiation d(p);
  const std::uint32_t seed = d.add_input(weights, p.outputs[output].size);
  std::vector<Differentiation::Weighted> sum;
  for (std::size_t i = 0; i < p.results[output].size(); ++i)
    sum.push_back({p.results[output][i], {seed, static_cast<std::uint32_t>(i)}});
  std::vector<Operand> product;
  for (const auto& g : d.reverse(sum, input)) product.push_back(g.value_or(d.constant(0)));
  add_product(d.program(), std::move(product));
  return d.finish();
}

}  // namespace

Program jacobian_vector(const Program& program, const std::string& output, const std::string& input,
                        const std::string& direction) {
  return forward_product(program, group_named(program.outputs, output, "output"),
                         group_named(program.inputs, input, "input"), direction);
}

Program vector_jacobian(const Program& program, const std::string& output, const std::string& input,
                        const std::string& weights) {
  return reverse_product(program, group_named(program.outputs, output, "output"),
                         group_named(program.inputs, input, "input"), weights);
}

Program hessian_vector(const Program& program, const std::string& output, const std::string& input,
                       const std::string& weights, const std::string& direction) {
  Program gradient = vector_jacobian(program, output, input, weights);
  gradient.outputs.back().name = "gradient";
  return jacobian_vector(gradient, "gradient", input, direction);
}

}  // namespace boreon
