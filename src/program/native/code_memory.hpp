// SPDX-License-Identifier: MIT
// Memory for machine code: written first, then made executable and never written again.
#pragma once

#include <asmjit/core.h>

#include <cstddef>
#include <string>

namespace boreon::native {

class CodeMemory {
 public:
  /// Copies finished code. Throws Error(limit) if there is no memory for it.
  explicit CodeMemory(asmjit::CodeHolder& code);
  ~CodeMemory();
  CodeMemory(const CodeMemory&) = delete;
  CodeMemory& operator=(const CodeMemory&) = delete;
  [[nodiscard]] const void* address() const noexcept { return memory_; }
  [[nodiscard]] std::size_t size() const noexcept { return size_; }

 private:
  void* memory_ = nullptr;
  std::size_t size_ = 0;
};

/// Appends a line to /tmp/perf-PID.map.
void tell_profilers(const CodeMemory& code, const std::string& name);

/// Registers an object with one symbol by the interface that debuggers read (__jit_debug_register_code); forgotten
/// with the handle.
class DebuggerEntry {
 public:
  DebuggerEntry(const CodeMemory& code, const std::string& name);
  ~DebuggerEntry();
  DebuggerEntry(const DebuggerEntry&) = delete;
  DebuggerEntry& operator=(const DebuggerEntry&) = delete;

 private:
  struct Object;
  Object* object_;
};

}  // namespace boreon::native
