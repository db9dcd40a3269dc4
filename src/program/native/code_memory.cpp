// SPDX-License-Identifier: MIT
#include "program/native/code_memory.hpp"

#include <elf.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdio>
#include <cstring>
#include <mutex>
#include <vector>

#include "boreon/error.hpp"

extern "C" {
// The interface of debuggers for code made at run time, with the names they look for (GDB manual, "JIT Compilation
// Interface").
struct jit_code_entry {
  jit_code_entry* next_entry;
  jit_code_entry* prev_entry;
  const char* symfile_addr;
  std::uint64_t symfile_size;
};
struct jit_descriptor {
  std::uint32_t version;
  std::uint32_t action_flag;
  jit_code_entry* relevant_entry;
  jit_code_entry* first_entry;
};
[[gnu::weak, gnu::noinline]] void __jit_debug_register_code() { asm volatile("" ::: "memory"); }
[[gnu::weak]] jit_descriptor __jit_debug_descriptor = {1, 0, nullptr, nullptr};
}

namespace boreon::native {

CodeMemory::CodeMemory(asmjit::CodeHolder& code) {
  const auto fail = [] { throw Error(ErrorKind::limit, "no executable memory for machine code; use the interpreter"); };
  if (code.flatten() != asmjit::kErrorOk || code.resolveUnresolvedLinks() != asmjit::kErrorOk) fail();
  size_ = code.codeSize();
  memory_ = ::mmap(nullptr, size_, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  if (memory_ == MAP_FAILED) {
    memory_ = nullptr;
    fail();
  }
  if (code.relocateToBase(reinterpret_cast<std::uintptr_t>(memory_)) != asmjit::kErrorOk ||
      code.copyFlattenedData(memory_, size_) != asmjit::kErrorOk ||
      ::mprotect(memory_, size_, PROT_READ | PROT_EXEC) != 0) {
    ::munmap(memory_, size_);
    memory_ = nullptr;
    fail();
  }
}

CodeMemory::~CodeMemory() {
  if (memory_ != nullptr) ::munmap(memory_, size_);
}

void tell_profilers(const CodeMemory& code, const std::string& name) {
  // The name is where profilers look and so can be guessed: no link is followed, and a file of somebody else is left
  // alone.
  const int descriptor = ::open(fmt::format("/tmp/perf-{}.map", ::getpid()).c_str(),
                                O_WRONLY | O_APPEND | O_CREAT | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (descriptor < 0) return;
  struct stat status {};
  const bool own = ::fstat(descriptor, &status) == 0 && S_ISREG(status.st_mode) && status.st_uid == ::geteuid() &&
                   status.st_nlink == 1;
  std::FILE* file = own ? ::fdopen(descriptor, "a") : nullptr;
  if (file == nullptr) {
    ::close(descriptor);
    return;
  }
  fmt::print(file, "{:x} {:x} {}\n", reinterpret_cast<std::uintptr_t>(code.address()), code.size(), name);
  std::fclose(file);
}

namespace {
std::mutex& debugger_lock() {
  static std::mutex m;
  return m;
}
}  // namespace

// An ELF object with nothing but a symbol of an absolute section.
struct DebuggerEntry::Object {
  jit_code_entry entry{};
  std::vector<char> bytes;
};

DebuggerEntry::DebuggerEntry(const CodeMemory& code, const std::string& name) : object_(new Object) {
  const std::string names = std::string(1, '\0') + ".text" + '\0' + ".symtab" + '\0' + ".strtab" + '\0' + name + '\0';
  enum Section : std::uint16_t { none, text, symbols, strings, count };
  Elf64_Ehdr head{};
  std::memcpy(head.e_ident, ELFMAG, SELFMAG);
  head.e_ident[EI_CLASS] = ELFCLASS64;
  head.e_ident[EI_DATA] = ELFDATA2LSB;
  head.e_ident[EI_VERSION] = EV_CURRENT;
  head.e_type = ET_EXEC;
  head.e_machine = EM_X86_64;
  head.e_version = EV_CURRENT;
  head.e_ehsize = sizeof(Elf64_Ehdr);
  head.e_shentsize = sizeof(Elf64_Shdr);
  head.e_shnum = Section::count;
  head.e_shstrndx = Section::strings;
  head.e_shoff = sizeof head;
  const auto address = reinterpret_cast<std::uintptr_t>(code.address());
  const std::size_t symbols_at = sizeof head + Section::count * sizeof(Elf64_Shdr);
  Elf64_Shdr sections[Section::count] = {};
  sections[text] = {1, SHT_NOBITS, SHF_ALLOC | SHF_EXECINSTR, address, 0, code.size(), 0, 0, 16, 0};
  sections[symbols] = {7, SHT_SYMTAB, 0, 0, symbols_at, 2 * sizeof(Elf64_Sym), strings, 1, 8, sizeof(Elf64_Sym)};
  sections[strings] = {15, SHT_STRTAB, 0, 0, symbols_at + 2 * sizeof(Elf64_Sym), names.size(), 0, 0, 1, 0};
  Elf64_Sym symbol[2] = {};
  symbol[1].st_name = 23;
  symbol[1].st_info = ELF64_ST_INFO(STB_GLOBAL, STT_FUNC);
  symbol[1].st_shndx = text;
  symbol[1].st_value = address;
  symbol[1].st_size = code.size();
  const auto append = [&](const void* data, std::size_t size) {
    const char* const p = static_cast<const char*>(data);
    object_->bytes.insert(object_->bytes.end(), p, p + size);
  };
  append(&head, sizeof head);
  append(sections, sizeof sections);
  append(symbol, sizeof symbol);
  append(names.data(), names.size());
  const std::lock_guard lock(debugger_lock());
  jit_code_entry& e = object_->entry;
  e.symfile_addr = object_->bytes.data();
  e.symfile_size = object_->bytes.size();
  e.next_entry = __jit_debug_descriptor.first_entry;
  if (e.next_entry != nullptr) e.next_entry->prev_entry = &e;
  __jit_debug_descriptor.first_entry = &e;
  __jit_debug_descriptor.relevant_entry = &e;
  __jit_debug_descriptor.action_flag = 1;
  __jit_debug_register_code();
}

DebuggerEntry::~DebuggerEntry() {
  const std::lock_guard lock(debugger_lock());
  jit_code_entry& e = object_->entry;
  if (e.prev_entry != nullptr) e.prev_entry->next_entry = e.next_entry;
  if (e.next_entry != nullptr) e.next_entry->prev_entry = e.prev_entry;
  if (__jit_debug_descriptor.first_entry == &e) __jit_debug_descriptor.first_entry = e.next_entry;
  __jit_debug_descriptor.relevant_entry = &e;
  __jit_debug_descriptor.action_flag = 2;
  __jit_debug_register_code();
  delete object_;
}

}  // namespace boreon::native
