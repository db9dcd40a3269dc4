// SPDX-License-Identifier: MIT
#include "program/threads.hpp"

#include <pthread.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdint>
#include <exception>
#include <memory>
#include <system_error>
#include <thread>
#include <vector>

namespace boreon {
namespace {

using Work = void (*)(const void*, std::size_t);

// What all threads of one call share.
struct Call {
  Work work;
  const void* context;
  std::atomic_flag failed = ATOMIC_FLAG_INIT;
  std::exception_ptr failure = nullptr;

  void run(std::size_t i) noexcept {
    try {
      work(context, i);
    } catch (...) {
      if (!failed.test_and_set()) failure = std::current_exception();
    }
  }
};

std::atomic_flag at_work = ATOMIC_FLAG_INIT;  // the helpers are
std::atomic<std::size_t> helping{
    0};  // helpers that have not ended their part; no part of a Call, which is gone once it is zero
std::atomic<bool> ended{false};   // the process is ending
std::atomic<bool> forked{false};  // helpers belong to the parent of this process

// Looks for a while before it sleeps: calls often follow one another, as in the steps of a simulation, and waking takes
// as long as a small call. Others that want the processor get it meanwhile.
template <class Changed>
void look_for(const Changed& changed) {
  constexpr std::chrono::microseconds longest(50);
  const auto start = std::chrono::steady_clock::now();
  while (!changed() && std::chrono::steady_clock::now() - start < longest) std::this_thread::yield();
}

// Sleeps until there is a call, or the end of the process.
class Helper {
 public:
  explicit Helper(std::size_t number) : number_(number), thread_([this] { serve(); }) {}
  ~Helper() {
    stop_ = true;
    give(nullptr);
    thread_.join();
  }
  Helper(const Helper&) = delete;
  Helper& operator=(const Helper&) = delete;

  void give(Call* call) {
    call_.store(call, std::memory_order_release);
    turn_.fetch_add(1, std::memory_order_release);
    turn_.notify_one();
  }
  /// Whether the call was still waiting for the helper, which then will not see it.
  bool take_back(Call* call) { return call_.compare_exchange_strong(call, nullptr, std::memory_order_acq_rel); }

 private:
  void serve() {
    for (std::uint32_t seen = 0;; ++seen) {
      look_for([&] { return turn_.load(std::memory_order_relaxed) != seen; });
      turn_.wait(seen, std::memory_order_acquire);
      Call* const call = call_.exchange(nullptr, std::memory_order_acq_rel);
      if (stop_) return;
      if (call == nullptr) continue;  // taken back
      call->run(number_);
      if (helping.fetch_sub(1, std::memory_order_acq_rel) == 1) helping.notify_one();
    }
  }

  std::size_t number_;
  std::atomic<Call*> call_{nullptr};
  std::atomic<bool> stop_{false};
  std::atomic<std::uint32_t> turn_{0};
  std::thread thread_;
};

struct Team {
  std::vector<std::unique_ptr<Helper>> helpers;
  Team() {
    // Only the thread that forks lives on in its child.
    pthread_atfork(nullptr, nullptr, [] { forked = true; });
  }
  Team(const Team&) = delete;
  Team& operator=(const Team&) = delete;
  ~Team() {
    ended = true;
    if (forked) {
      for (auto& h : helpers) (void)h.release();
      return;
    }
    while (at_work.test_and_set()) std::this_thread::yield();
  }
  // Helpers that there are, `wanted` unless the system gives no more threads.
  std::size_t grow(std::size_t wanted) {
    try {
      while (helpers.size() < wanted) helpers.push_back(std::make_unique<Helper>(helpers.size() + 1));
    } catch (const std::system_error&) {
    }
    return std::min(wanted, helpers.size());
  }
};

Team& team() {
  static Team t;
  return t;
}

void in_fresh_threads(std::size_t count, Call& call) {
  std::vector<std::thread> others;
  others.reserve(count);
  try {
    while (others.size() + 1 < count) {
      const std::size_t i = others.size() + 1;
      others.emplace_back([&call, i] { call.run(i); });
    }
  } catch (const std::system_error&) {
  }
  call.run(0);
  for (std::size_t i = others.size() + 1; i < count; ++i) call.run(i);
  for (auto& t : others) t.join();
}

void with_helpers(std::size_t count, Call& call) {
  auto& helpers = team().helpers;
  const std::size_t with = team().grow(count - 1);
  helping = with;
  for (std::size_t i = 0; i < with; ++i) helpers[i]->give(&call);
  call.run(0);
  for (std::size_t i = with + 1; i < count; ++i) call.run(i);
  // Nobody waits for a helper that has not begun, because another process has its processor.
  for (std::size_t i = 0; i < with; ++i) {
    if (!helpers[i]->take_back(&call)) continue;
    call.run(i + 1);
    helping.fetch_sub(1, std::memory_order_acq_rel);
  }
  look_for([] { return helping.load(std::memory_order_relaxed) == 0; });
  for (std::size_t left = helping.load(std::memory_order_acquire); left != 0;
       left = helping.load(std::memory_order_acquire))
    helping.wait(left, std::memory_order_acquire);
  at_work.clear(std::memory_order_release);
}

}  // namespace

void run_in_threads(std::size_t count, Work work, const void* context) {
  if (count <= 1) return work(context, 0);
  Call call{work, context};
  if (ended || forked || at_work.test_and_set(std::memory_order_acquire)) {
    in_fresh_threads(count, call);
  } else {
    with_helpers(count, call);
  }
  if (call.failure) std::rethrow_exception(call.failure);
}

}  // namespace boreon
