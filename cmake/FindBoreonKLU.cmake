# SPDX-License-Identifier: MIT
# KLU of SuiteSparse, as boreon::klu.
find_path(BoreonKLU_INCLUDE_DIR klu.h PATH_SUFFIXES suitesparse)
find_library(BoreonKLU_LIBRARY klu)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(BoreonKLU REQUIRED_VARS BoreonKLU_LIBRARY BoreonKLU_INCLUDE_DIR
  REASON_FAILURE_MESSAGE "install libsuitesparse-dev")
if(BoreonKLU_FOUND AND NOT TARGET boreon::klu)
  add_library(boreon::klu INTERFACE IMPORTED)
  set_target_properties(boreon::klu PROPERTIES INTERFACE_INCLUDE_DIRECTORIES "${BoreonKLU_INCLUDE_DIR}"
    INTERFACE_LINK_LIBRARIES "${BoreonKLU_LIBRARY}")
endif()
