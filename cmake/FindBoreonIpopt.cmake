# SPDX-License-Identifier: MIT
# Ipopt, as boreon::ipopt.
find_path(BoreonIpopt_INCLUDE_DIR IpIpoptApplication.hpp PATH_SUFFIXES coin coin-or)
find_library(BoreonIpopt_LIBRARY ipopt)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(BoreonIpopt REQUIRED_VARS BoreonIpopt_LIBRARY BoreonIpopt_INCLUDE_DIR
  REASON_FAILURE_MESSAGE "install coinor-libipopt-dev")
if(BoreonIpopt_FOUND AND NOT TARGET boreon::ipopt)
  add_library(boreon::ipopt INTERFACE IMPORTED)
  set_target_properties(boreon::ipopt PROPERTIES INTERFACE_INCLUDE_DIRECTORIES "${BoreonIpopt_INCLUDE_DIR}"
    INTERFACE_LINK_LIBRARIES "${BoreonIpopt_LIBRARY}" INTERFACE_COMPILE_DEFINITIONS HAVE_CSTDDEF)
endif()
