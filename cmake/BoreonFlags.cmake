# SPDX-License-Identifier: MIT
# Warnings and sanitizers, for our own targets only.
add_library(boreon_flags INTERFACE)
target_compile_options(boreon_flags INTERFACE
  $<$<COMPILE_LANGUAGE:CXX>:-Wall -Wextra -Wpedantic -Wconversion>
  $<$<COMPILE_LANG_AND_ID:CXX,GNU>:-Wshadow=local>)
# GCC 12 reports overflows in std::string that cannot happen (GCC bug 105329 and relatives).
if(CMAKE_CXX_COMPILER_ID STREQUAL "GNU" AND CMAKE_CXX_COMPILER_VERSION VERSION_LESS 14)
  target_compile_options(boreon_flags INTERFACE -Wno-stringop-overflow -Wno-restrict -Wno-array-bounds)
endif()
# In a batch each file but the batch itself counts as a header.
if(BOREON_UNITY AND CMAKE_CXX_COMPILER_ID STREQUAL "GNU")
  target_compile_options(boreon_flags INTERFACE $<$<COMPILE_LANGUAGE:CXX>:-Wno-subobject-linkage>)
endif()
if(BOREON_WERROR)
  target_compile_options(boreon_flags INTERFACE $<$<COMPILE_LANGUAGE:CXX>:-Werror>)
endif()
if(BOREON_SANITIZE)
  add_compile_options(-fsanitize=${BOREON_SANITIZE} -fno-omit-frame-pointer -fno-sanitize-recover=undefined)
  add_link_options(-fsanitize=${BOREON_SANITIZE})
endif()
