// SPDX-License-Identifier: MIT
// show: expressions and models typeset.
#include "command.hpp"
#include "loops.hpp"
#include "show_model.hpp"

namespace boreon::cli {

namespace {

bool plain_symbol(const Expr& x, Expr& result) {
  if (!x.is(Kind::symbol) || is_function_head(x)) return false;
  result = Symbol(x.name());
  return true;
}

struct ShowRequest : Request {
  Option<bool> loops{false};

  void declare(Declaration& d) override {
    d.add("--loops", loops, "the fields of a model as loops: boxes of places, what holds on them, derivatives");
  }
};

Answer shown(const ShowRequest& r) {
  if (r.loops) return show_in_loops(r);
  Answer a;
  if (is_model(r.inputs.at(0))) return show_model(r);
  const Assumed assumed = assumptions_of(r);
  for (const std::string& text : r.inputs) {
    const auto order = std::make_shared<OperandOrder>();
    ParseContext context = assumed.context;
    context.order = order.get();
    const Expr e = read_input(text, context);
    a.text += typeset(r, e, {.order = order}) + "\n";
    a.json["result"].push_back(to_text(e));
    a.json["latex"].push_back(to_latex(e));
    a.json["mathml"].push_back(to_mathml(e));
  }
  if (r.inputs.size() == 1) a.json["result"] = a.json["result"][0];
  a.json["status"] = "exact";
  return a;
}

}  // namespace

PrintOptions as_typed(const Model& m) {
  Rebuild rebuild(plain_symbol);  // one for all: parts that texts share are rewritten once
  return {.independent = m.independent.name(),
          .order = std::make_shared<OperandOrder>(m.order->rewritten([&](const Expr& e) { return rebuild(e); }))};
}

Expr plain_names(const Expr& e) {
  Rebuild rebuild(plain_symbol);
  return rebuild(e);
}

Command show_command() {
  return command<ShowRequest>("show", "typeset a model or an expression",
                          "  boreon show model.toml\n"
                          "  boreon show model.toml --format unicode\n"
                          "  boreon show plate.toml --loops\n"
                          "  boreon show \"exp(-x^2/(4*D*t))/sqrt(4*pi*D*t)\" --format latex\n",
                          shown);
}

}  // namespace boreon::cli
