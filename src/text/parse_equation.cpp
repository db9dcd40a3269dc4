// SPDX-License-Identifier: MIT
// Equations, and the names an expression needs to be read again.
#include "boreon/text.hpp"
#include "boreon/traverse.hpp"
#include "text/lexer.hpp"

namespace boreon {

Equation parse_equation(std::string_view text, const ParseContext& context) {
  const Expr e = parse(text, context);
  if (e.is(Kind::relation) && e.relation_op() == RelationOp::equal) return {e.operands()[0], e.operands()[1]};
  if (e.is_constant(ConstantCode::true_value)) {
    throw Error(ErrorKind::shape, "both sides of the equation are the same",
                {context.origin.file, context.origin.line, context.origin.column});
  }
  if (is_condition(e)) {
    const TextErrors errors(text, context.origin);
    errors.fail(ErrorKind::shape, "an equation is expected: left = right", 0);
  }
  return {e, 0};
}

ParseContext ParseContext::of(const Expr& expression) {
  ParseContext c;
  postorder(expression, [&](const Expr& e) {
    if (e.is(Kind::symbol) && !is_function_head(e)) c.names.insert_or_assign(e.name(), e);
  });
  return c;
}

}  // namespace boreon
