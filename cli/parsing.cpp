// SPDX-License-Identifier: MIT
#include "parsing.hpp"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <optional>
#include <sstream>
#include <type_traits>

namespace boreon::cli {

struct Declaration::State {
  struct Declared {
    std::string name;
    CLI::Option* option;
    std::shared_ptr<bool> read;
    bool formulas = false;
    bool files = false;
  };
  CLI::App* app;
  std::vector<Declared> declared;
};

template <class T>
Declaration::Added Declaration::add(const char* name, Option<T>& option, const std::string& text) {
  CLI::Option* o = nullptr;
  if constexpr (std::is_same_v<T, bool>) {
    o = state_->app->add_flag(name, option.target(), text);
  } else {
    o = state_->app->add_option(name, option.target(), text);
  }
  if constexpr (std::is_same_v<T, std::vector<std::string>>)
    o->allow_extra_args(false);  // an expression behind it is an input
  state_->declared.push_back({name, o, option.read()});
  return {*this, state_->declared.size() - 1};
}

template Declaration::Added Declaration::add(const char*, Option<bool>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<int>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::size_t>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<double>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::string>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::vector<std::string>>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::optional<int>>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::optional<double>>&, const std::string&);
template Declaration::Added Declaration::add(const char*, Option<std::optional<std::size_t>>&, const std::string&);

const Declaration::Added& Declaration::Added::within(int low, int high) const {
  all_->state_->declared[index_].option->check(CLI::Range(low, high));
  return *this;
}

const Declaration::Added& Declaration::Added::within(double low, double high) const {
  all_->state_->declared[index_].option->check(CLI::Range(low, high));
  return *this;
}

const Declaration::Added& Declaration::Added::one_of(const std::vector<std::string>& words) const {
  all_->state_->declared[index_].option->check(CLI::IsMember(words));
  return *this;
}

const Declaration::Added& Declaration::Added::formulas() const {
  all_->state_->declared[index_].formulas = true;
  return *this;
}

const Declaration::Added& Declaration::Added::files() const {
  all_->state_->declared[index_].files = true;
  return *this;
}

/// Knows the words, the parsing library, and what the declarations have collected.
class Parser {
 public:
  explicit Parser(const std::vector<std::string>& words) : words_(words) {
    app_.set_version_flag("--version", std::string("boreon ") + BOREON_VERSION);
    app_.require_subcommand(1);
    app_.footer("Each command explains itself by examples: boreon derive --help\nStart here: boreon demo");
  }

  Parsed parsed() {
    Parsed p;
    // Only the command that is named declares its options.
    for (const Command& c : commands()) {
      CLI::App* sub = app_.add_subcommand(c.name, c.summary);
      sub->footer(std::string("Examples:\n") + c.examples);
      if (words_.empty() || words_[0] != c.name) continue;
      p.command = &c;
      p.request = c.request();
      state_.app = sub;
      declare(*p.request, c);
    }
    try {
      app_.parse(protected_words());
    } catch (const CLI::Success& e) {  // --help, --version
      std::ostringstream out;
      app_.exit(e, out, out);
      p.help = out.str();
      p.command = nullptr;
      return p;
    } catch (const CLI::ParseError& e) {
      throw Error(ErrorKind::usage, message_of(e));
    }
    if (p.command == nullptr) throw Error(ErrorKind::usage, "the command stands before its options; try boreon --help");
    take_words(p);
    return p;
  }

 private:
  void declare(Request& r, const Command& c) {
    Declaration d(state_);
    if (c.takes_inputs) state_.app->add_option("input", r.inputs, "model file (.toml), or expressions")->required();
    CLI::App& app = *state_.app;
    app.add_flag("--json", r.json, "print one JSON object");
    d.add("--set", r.set, "values of parameters or symbols: name=value");
    d.add("--assume", r.assume, "facts of symbols: \"a > 0, n integer\"");
    d.add("--unknown", r.unknown, "functions that are meant to be unknown: \"f,g\"");
    d.add("--out", r.out, "file or folder to write");
    d.add("--format", r.format, "how mathematics is shown: text, unicode, latex or mathml")
        .one_of({"text", "unicode", "latex", "mathml"});
    app.add_flag("--force", r.force, "replace files that do not look like earlier output");
    app.add_option("--work", r.work, "budget of work, in units of a few nanoseconds (400000000)")
        ->check(CLI::Range(std::uint64_t{1000}, std::uint64_t{1} << 62U));
    app.add_option("--memory", r.megabytes, "budget of memory, in megabytes (1500)")
        ->check(CLI::Range(std::uint64_t{10}, std::uint64_t{1} << 40U));
    r.declare(d);
  }

  // An expression may start with a minus; the blank keeps it from being taken for an option and goes again afterwards.
  [[nodiscard]] std::vector<std::string> protected_words() const {
    std::vector<std::string> words;
    for (auto word = words_.rbegin(); word != words_.rend(); ++word) {
      const bool expression = word->size() > 1 && (*word)[0] == '-' && (*word)[1] != '-' && *word != "-h";
      words.push_back(expression ? " " + *word : *word);
    }
    return words;
  }

  void take_words(Parsed& p) {
    Request& r = *p.request;
    r.command = p.command->name;
    for (std::string& input : r.inputs) {
      if (input.starts_with(" -")) input.erase(0, 1);
    }
    for (const Declaration::State::Declared& d : state_.declared) {
      if (d.option->count() == 0) continue;
      p.given.push_back({d.name, d.read});
      const std::vector<std::string>& texts = d.option->results();
      if (d.formulas) r.formulas.insert(r.formulas.end(), texts.begin(), texts.end());
      if (d.files) r.files.insert(r.files.end(), texts.begin(), texts.end());
    }
  }

  [[nodiscard]] std::string message_of(const CLI::ParseError& e) const {
    if (words_.empty()) return "a command is needed; try boreon --help";
    if (words_[0].starts_with('-')) return "a command is needed, and stands before its options; try boreon --help";
    std::vector<std::string> names;
    for (const Command& c : commands()) names.emplace_back(c.name);
    const std::string& first = words_[0];
    if (std::find(names.begin(), names.end(), first) == names.end())
      return fmt::format("'{}' is no command of this version{} (boreon --help lists them)", first,
                         suggestion(first, names));
    return fmt::format("{} (boreon {} --help shows examples)", e.what(), first);
  }

  const std::vector<std::string>& words_;
  CLI::App app_{"Boreon: model equations in, checked derivatives and fast numbers out."};
  Declaration::State state_{};
};

Parsed parsed(const std::vector<std::string>& words) { return Parser(words).parsed(); }

}  // namespace boreon::cli
