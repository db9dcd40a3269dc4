// SPDX-License-Identifier: MIT
#include "substitution/dependency_order.hpp"

#include <algorithm>

namespace boreon {

DependencyOrder dependency_order(const std::vector<std::vector<std::size_t>>& uses) {
  enum class State : char { fresh, open, done };
  std::vector<State> state(uses.size(), State::fresh);
  struct Frame {
    std::size_t thing;
    std::size_t next;
  };
  std::vector<Frame> stack;
  DependencyOrder result;
  for (std::size_t root = 0; root < uses.size(); ++root) {
    if (state[root] != State::fresh) continue;
    stack.push_back({root, 0});
    state[root] = State::open;
    while (!stack.empty()) {
      Frame& top = stack.back();
      if (top.next == uses[top.thing].size()) {
        state[top.thing] = State::done;
        result.order.push_back(top.thing);
        stack.pop_back();
        continue;
      }
      const std::size_t used = uses[top.thing][top.next++];
      if (state[used] == State::open) {  // met again while it is open: the stack from there on is the circle
        auto from = std::find_if(stack.begin(), stack.end(), [&](const Frame& f) { return f.thing == used; });
        for (; from != stack.end(); ++from) result.circle.push_back(from->thing);
        result.circle.push_back(used);
        result.order.clear();
        return result;
      }
      if (state[used] == State::fresh) {
        state[used] = State::open;
        stack.push_back({used, 0});
      }
    }
  }
  return result;
}

}  // namespace boreon
