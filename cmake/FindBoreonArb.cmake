# SPDX-License-Identifier: MIT
# Exact and certified arithmetic: GMP, MPFR, FLINT and Arb, as one target boreon::arb.
find_path(BoreonArb_INCLUDE_DIR acb_hypgeom.h)
find_path(BoreonArb_FLINT_INCLUDE_DIR flint/flint.h)
find_library(BoreonArb_LIBRARY NAMES flint-arb arb)
find_library(BoreonArb_FLINT_LIBRARY flint)
find_library(BoreonArb_MPFR_LIBRARY mpfr)
find_library(BoreonArb_GMP_LIBRARY gmp)
find_library(BoreonArb_GMPXX_LIBRARY gmpxx)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(BoreonArb REQUIRED_VARS BoreonArb_LIBRARY BoreonArb_INCLUDE_DIR BoreonArb_FLINT_INCLUDE_DIR
  BoreonArb_FLINT_LIBRARY BoreonArb_MPFR_LIBRARY BoreonArb_GMP_LIBRARY BoreonArb_GMPXX_LIBRARY
  REASON_FAILURE_MESSAGE "install libflint-arb-dev libflint-dev libmpfr-dev libgmp-dev")
if(BoreonArb_FOUND AND NOT TARGET boreon::arb)
  add_library(boreon::arb INTERFACE IMPORTED)
  set_target_properties(boreon::arb PROPERTIES
    INTERFACE_INCLUDE_DIRECTORIES "${BoreonArb_INCLUDE_DIR};${BoreonArb_FLINT_INCLUDE_DIR}"
    INTERFACE_LINK_LIBRARIES "${BoreonArb_LIBRARY};${BoreonArb_FLINT_LIBRARY};${BoreonArb_MPFR_LIBRARY};${BoreonArb_GMPXX_LIBRARY};${BoreonArb_GMP_LIBRARY}")
endif()
