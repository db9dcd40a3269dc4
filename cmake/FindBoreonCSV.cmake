# SPDX-License-Identifier: MIT
# libcsv, as boreon::csv.
find_path(BoreonCSV_INCLUDE_DIR csv.h)
find_library(BoreonCSV_LIBRARY csv)
include(FindPackageHandleStandardArgs)
find_package_handle_standard_args(BoreonCSV REQUIRED_VARS BoreonCSV_LIBRARY BoreonCSV_INCLUDE_DIR
  REASON_FAILURE_MESSAGE "install libcsv-dev")
if(BoreonCSV_FOUND AND NOT TARGET boreon::csv)
  add_library(boreon::csv INTERFACE IMPORTED)
  set_target_properties(boreon::csv PROPERTIES INTERFACE_INCLUDE_DIRECTORIES "${BoreonCSV_INCLUDE_DIR}"
    INTERFACE_LINK_LIBRARIES "${BoreonCSV_LIBRARY}")
endif()
