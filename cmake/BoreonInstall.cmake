# SPDX-License-Identifier: MIT
# cmake --install: libraries, headers, the tool, a CMake package and a pkg-config file.
set(BOREON_CMAKE_DIR ${CMAKE_INSTALL_LIBDIR}/cmake/boreon)
install(TARGETS ${BOREON_TARGETS} EXPORT boreonTargets
  ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY include/boreon DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(FILES cmake/FindBoreonArb.cmake cmake/FindBoreonKLU.cmake cmake/FindBoreonCSV.cmake cmake/FindBoreonIpopt.cmake DESTINATION ${BOREON_CMAKE_DIR})
install(TARGETS boreon_flags EXPORT boreonTargets)
install(EXPORT boreonTargets NAMESPACE boreon:: DESTINATION ${BOREON_CMAKE_DIR})
configure_package_config_file(cmake/boreonConfig.cmake.in ${PROJECT_BINARY_DIR}/boreonConfig.cmake INSTALL_DESTINATION ${BOREON_CMAKE_DIR})
write_basic_package_version_file(${PROJECT_BINARY_DIR}/boreonConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/boreonConfig.cmake ${PROJECT_BINARY_DIR}/boreonConfigVersion.cmake DESTINATION ${BOREON_CMAKE_DIR})
configure_file(cmake/boreon.pc.in ${PROJECT_BINARY_DIR}/boreon.pc @ONLY)
install(FILES ${PROJECT_BINARY_DIR}/boreon.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
if(TARGET boreon)
  install(TARGETS boreon RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
  install(DIRECTORY examples/models DESTINATION ${CMAKE_INSTALL_DATADIR}/boreon)
endif()
