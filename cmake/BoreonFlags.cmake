# SPDX-License-Identifier: MIT
# Warnings and sanitizers, for our own targets only.
add_library(boreon_flags INTERFACE)
target_compile_options(boreon_flags INTERFACE
  $<$<COMPILE_LANGUAGE:CXX>:-Wall -Wextra -Wpedantic -Wconversion>
  $<$<COMPILE_LANG_AND_ID:CXX,GNU>:-Wshadow=local>
  $<$<COMPILE_LANG_AND_ID:CXX,Clang>:-Wno-sign-conversion>)  # which -Wconversion of GCC leaves out
# GCC 12 reports overflows in std::string and unset members of std::variant that cannot happen (GCC bugs 105329, 105562 and relatives).
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_CXX_COMPILER_VERSION VERSION_LESS 14)
  target_compile_options(boreon_flags INTERFACE -Wno-stringop-overflow -Wno-restrict -Wno-array-bounds -Wno-maybe-uninitialized)
endif()
# In a batch each file but the batch itself counts as a header.
if(BOREON_UNITY AND CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  target_compile_options(boreon_flags INTERFACE $<$<COMPILE_LANGUAGE:CXX>:-Wno-subobject-linkage>)
endif()
if(BOREON_WERROR)
  target_compile_options(boreon_flags INTERFACE $<$<COMPILE_LANGUAGE:CXX>:-Werror>)
endif()
# What is called a million times a second gets -O3 with the Release configuration. What searches, speaks or checks gets -O1: it
# compiles in 0.6 of the time, and takes 5 % longer to run, as most of its time passes in the former, in GMP or in Arb.
function(boreon_search_flags target)
  target_compile_options(${target} PRIVATE $<$<CONFIG:Release>:-O1>)
endfunction()
# Under sanitizers what only calls the library is not worth optimising: it compiles in half the time.
function(boreon_quick_to_build target)
  if(BOREON_SANITIZE)
    target_compile_options(${target} PRIVATE -O0)
  endif()
endfunction()
if(BOREON_SANITIZE)
  add_compile_options(-fsanitize=${BOREON_SANITIZE} -fno-omit-frame-pointer -fno-sanitize-recover=undefined)
  add_link_options(-fsanitize=${BOREON_SANITIZE})
  # Not every compiler says that it builds for a sanitizer.
  if(BOREON_SANITIZE MATCHES "address")
    add_compile_definitions(BOREON_SANITIZES_ADDRESSES)
  endif()
  if(BOREON_SANITIZE MATCHES "thread")
    add_compile_definitions(BOREON_SANITIZES_THREADS)
  endif()
endif()
