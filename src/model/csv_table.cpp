// SPDX-License-Identifier: MIT
#include "boreon/csv_table.hpp"

#include <csv.h>
#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <limits>
#include <memory>

#include "boreon/error.hpp"
#include "boreon/expr.hpp"
#include "boreon/names.hpp"

namespace boreon {
namespace {

constexpr std::size_t most_bytes = std::size_t{1} << 30U;

std::string stripped(const std::string& s) {
  const std::size_t from = s.find_first_not_of(" \t");
  return from == std::string::npos ? "" : s.substr(from, s.find_last_not_of(" \t") - from + 1);
}

// Fields and lines as libcsv finds them; errors wait until it is done, since it knows nothing of exceptions.
struct Reader {
  CsvTable table;
  std::vector<std::string> line;
  std::size_t number = 1;  // of the line of the file that is being read
  std::string fault;
  bool numbers_only = false;
  std::vector<std::vector<double>> rows;  // then

  void field(const char* text, std::size_t size) { line.emplace_back(text, size); }

  void end_of_line() {
    if (!fault.empty()) return;
    if (numbers_only) {
      numbers();
    } else if (table.names.empty()) {
      names();
    } else {
      values();
    }
    line.clear();
  }

  void names() {
    for (const std::string& text : line) {
      std::string name = stripped(text);
      std::string unit;
      // "n [1/m^3]" has a unit, "T[0, 1]" is an element, "T[0, 1] [K]" is both.
      const std::size_t open = name.rfind('[');
      if (open != std::string::npos && name.back() == ']' && !element_name(name)) {
        unit = stripped(name.substr(open + 1, name.size() - open - 2));
        name = stripped(name.substr(0, open));
      }
      if (name.empty()) {
        fault = fmt::format("column {} of the first line has no name", table.names.size() + 1);
        return;
      }
      if (std::find(table.names.begin(), table.names.end(), name) != table.names.end()) {
        fault = fmt::format("two columns are called {}", name);
        return;
      }
      table.names.push_back(name);
      table.units.push_back(unit);
    }
    table.columns.resize(table.names.size());
  }

  void numbers() {
    rows.emplace_back();
    for (const std::string& field : line) {
      const std::string text = stripped(field);
      char* end = nullptr;
      const double value = std::strtod(text.c_str(), &end);
      if (text.empty() || *end != '\0' || !std::isfinite(value)) {
        fault = fmt::format("line {}: '{}' is no number; a file of an array holds numbers only{}", number, text,
                            text.find(';') != std::string::npos ? ", separated by commas" : "");
        return;
      }
      rows.back().push_back(value);
    }
  }

  void values() {
    if (line.size() != table.names.size()) {
      fault = fmt::format("line {}: {} fields, where the first line has {}", number, line.size(), table.names.size());
      return;
    }
    table.lines.push_back(number);
    for (std::size_t k = 0; k < line.size(); ++k) {
      const std::string text = stripped(line[k]);
      char* end = nullptr;
      const double value = text.empty() ? std::numeric_limits<double>::quiet_NaN() : std::strtod(text.c_str(), &end);
      if (!text.empty() && *end != '\0') {
        fault = fmt::format("line {}, column {}: '{}' is no number{}", number, table.names[k], text,
                            text.find(';') != std::string::npos ? "; fields are separated by commas" : "");
        return;
      }
      table.columns[k].push_back(value);
    }
  }
};

void on_field(void* text, std::size_t size, void* reader) {
  static_cast<Reader*>(reader)->field(static_cast<const char*>(text), size);
}
void on_line(int, void* reader) { static_cast<Reader*>(reader)->end_of_line(); }

}  // namespace

const std::vector<double>& CsvTable::column(const std::string& name) const {
  const auto at = std::find(names.begin(), names.end(), name);
  if (at == names.end()) {
    std::string all;
    for (const std::string& n : names) all += (all.empty() ? "" : ", ") + n;
    throw Error(ErrorKind::name,
                fmt::format("there is no column {}{}; the table has {}", name, suggestion(name, names), all));
  }
  return columns[static_cast<std::size_t>(at - names.begin())];
}

namespace {

// Line by line: libcsv passes over empty lines without a word, and fields in quotes may go over several.
void read_lines(const std::string& path, Reader& reader) {
  std::ifstream file(path, std::ios::binary);
  if (!file) {
    throw Error(ErrorKind::io, fmt::format("'{}' cannot be read ({})", path,
                                           std::strerror(errno)));  // NOLINT: messages are copied at once
  }
  std::string text{std::istreambuf_iterator<char>(file), {}};
  if (file.bad() || text.size() > most_bytes) throw Error(ErrorKind::io, fmt::format("'{}' cannot be read", path));
  if (text.starts_with("\xEF\xBB\xBF")) text.erase(0, 3);  // the mark that some editors put before UTF-8
  csv_parser parser;
  if (csv_init(&parser, CSV_APPEND_NULL) != 0) throw Error(ErrorKind::io, "there is no memory to read a table");
  const std::unique_ptr<csv_parser, void (*)(csv_parser*)> owner(&parser, csv_free);
  for (std::size_t from = 0; from < text.size(); ++reader.number) {
    const std::size_t end = std::min(text.find('\n', from), text.size() - 1) + 1;
    if (csv_parse(&parser, text.data() + from, end - from, on_field, on_line, &reader) != end - from)
      throw Error(ErrorKind::syntax, fmt::format("'{}': {}", path, csv_strerror(csv_error(&parser))));
    from = end;
  }
  if (!text.ends_with('\n')) --reader.number;
  csv_fini(&parser, on_field, on_line, &reader);
  if (!reader.fault.empty()) throw Error(ErrorKind::syntax, fmt::format("'{}': {}", path, reader.fault));
}

}  // namespace

CsvTable read_csv(const std::string& path) {
  Reader reader;
  read_lines(path, reader);
  if (reader.table.names.empty()) throw Error(ErrorKind::syntax, fmt::format("'{}' is empty", path));
  return std::move(reader.table);
}

std::vector<std::vector<double>> read_csv_numbers(const std::string& path) {
  Reader reader;
  reader.numbers_only = true;
  read_lines(path, reader);
  if (reader.rows.empty()) throw Error(ErrorKind::syntax, fmt::format("'{}' is empty", path));
  return std::move(reader.rows);
}

}  // namespace boreon
