// SPDX-License-Identifier: MIT
#include "values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <span>

namespace boreon::cli {
namespace {

std::size_t name_width(const std::vector<std::string>& a, const std::vector<std::string>& b) {
  std::size_t w = 0;
  for (const auto& n : a) w = std::max(w, n.size());
  for (const auto& n : b) w = std::max(w, n.size());
  return w;
}

// Integrals over time are seen through the outputs that contain them.
std::vector<std::string> own_names(const System& s) {
  return {s.state_names.begin(), s.state_names.begin() + static_cast<std::ptrdiff_t>(s.own_states())};
}

// A field by its shape, its least and its greatest value, and where they are. `prime` stands behind the name of rates.
std::string field_line(const ModelArray& a, const std::string& prime, std::size_t width, std::span<const double> values,
                       int digits, const std::string& unit) {
  std::string shape;
  for (const IndexRange& d : a.dimensions)
    shape += fmt::format("{}{}", shape.empty() ? "" : " x ", *d.to.word() - *d.from.word() + 1);
  const auto with_prime = [&](std::string name) { return name.insert(name.find('['), prime); };
  const auto [least, greatest] = std::minmax_element(values.begin(), values.end());
  const auto at = [&](auto place) { return with_prime(a.element(static_cast<std::size_t>(place - values.begin()))); };
  return fmt::format("  {:<{}} : {} values, {:.{}g} ({}) to {:.{}g} ({}) {}\n", with_prime(a.head()), width, shape,
                     *least, digits, at(least), *greatest, digits, at(greatest), unit);
}

// Values by name; fields of more than a few elements as one line each.
void list_named(std::string& text, Json& json, const Model& m, const std::vector<std::string>& names,
                const std::vector<double>& values, std::size_t width, int digits,
                const std::function<std::string(const std::string&, std::size_t)>& unit) {
  constexpr std::size_t few = 12;
  std::size_t listed = 0;
  struct Field {
    std::vector<double> values;
    std::string unit;
  };
  std::map<std::pair<const ModelArray*, std::string>, Field> fields;  // by array and prime
  for (std::size_t i = 0; i < values.size(); ++i) {
    json[names[i]] = values[i];
    const std::size_t bracket = std::min(names[i].find('['), names[i].size());
    const std::size_t prime = std::min(names[i].find('\''), bracket);
    const ModelArray* a =
        bracket < names[i].size() ? m.find_array(std::string_view(names[i]).substr(0, prime)) : nullptr;
    if (a != nullptr && a->elements() > few) {
      Field& f = fields[{a, names[i].substr(prime, bracket - prime)}];
      if (f.values.empty()) f.unit = unit(names[i], i);
      f.values.push_back(values[i]);
    } else if (++listed <= 2 * few) {
      text += fmt::format("  {:<{}} = {:<14} {}\n", names[i], width,
                          std::isnan(values[i]) ? "undefined" : fmt::format("{:.{}g}", values[i], digits),
                          unit(names[i], i));
    }
  }
  if (listed > 2 * few) text += fmt::format("  ... {} more (--json or --out gives all)\n", listed - 2 * few);
  for (const auto& [key, f] : fields) text += field_line(*key.first, key.second, width, f.values, digits, f.unit);
}

}  // namespace

std::string with_unit(const std::string& name, const std::string& unit) {
  return unit.empty() ? name : name + " (" + unit + ")";
}

std::string unit_of(const Model& m, const std::string& state) {
  const std::size_t prime = state.find('\'');
  const bool rate = prime != std::string::npos;
  const Unknown* u = m.find_unknown(rate ? state.substr(0, prime) + state.substr(prime + 1) : state);
  if (u == nullptr || u->unit.empty()) return {};
  return rate && !m.independent_unit.empty() ? u->unit + "/" + m.independent_unit : u->unit;
}

double end_of_run(const Model& m, std::optional<double> asked) {
  const std::optional<double> end = asked ? asked : m.run.until;
  if (!end) throw Error(ErrorKind::usage, "say until when to run: --until 600, or until = 600 in [run] of the model");
  return *end;
}

std::size_t place_of_quantity(const System& s, const std::string& name, const char* option) {
  std::vector<std::string> all = s.state_names;
  all.insert(all.end(), s.output_names.begin(), s.output_names.end());
  const auto at = std::find(all.begin(), all.end(), name);
  if (at == all.end())
    throw Error(ErrorKind::name,
                fmt::format("{}: the model has no unknown or output '{}'{}", option, name, suggestion(name, all)));
  return static_cast<std::size_t>(at - all.begin());
}

int digits_of(int asked) {
  if (asked > 17) throw Error(ErrorKind::usage, "values of a model have at most 17 digits: --digits 17");
  return asked == 0 ? 6 : asked;
}

void list_values(Answer& a, const Model& m, const System& s, const std::vector<double>& states,
                 const std::vector<double>& outputs, int digits) {
  const std::vector<std::string> names = own_names(s);
  const std::size_t width = std::min<std::size_t>(name_width(names, s.output_names), 40);
  list_named(a.text, a.json["values"], m, names,
             {states.begin(), states.begin() + static_cast<std::ptrdiff_t>(names.size())}, width, digits,
             [&](const std::string& name, std::size_t) { return unit_of(m, name); });
  a.json["outputs"] = Json::object();
  list_named(a.text, a.json["outputs"], m, s.output_names, outputs, width, digits,
             [&](const std::string&, std::size_t i) {
               return (m.outputs[i].unit.empty() ? "" : m.outputs[i].unit + " ") + "(output)";
             });
}

void write_values(Answer& a, const Request& r, const System& s, const std::vector<double>& states,
                  const std::vector<double>& outputs) {
  if (r.out.peek().empty() || r.out.peek().ends_with(".json")) return;
  if (!r.out.peek().ends_with(".csv"))
    throw Error(ErrorKind::usage, fmt::format("the values are written as .csv or .json, not '{}'", r.out.peek()));
  std::string names;
  std::string values;
  const auto add = [&](const std::string& name, double value) {
    names += (names.empty() ? "" : ",") + csv_field(name);
    values += fmt::format("{}{:.17g}", values.empty() ? "" : ",", value);
  };
  for (std::size_t i = 0; i < s.own_states(); ++i) add(s.state_names[i], states[i]);
  for (std::size_t i = 0; i < s.output_names.size(); ++i) add(s.output_names[i], outputs[i]);
  write_output(r.out.get(), names + "\n" + values + "\n", output_policy(r));
  a.text += fmt::format("written to {}\n", r.out.get());
}

}  // namespace boreon::cli
