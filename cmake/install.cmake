# What `make install` lays down: program, libraries, headers, demo, pkg-config and CMake package.
include(CMakePackageConfigHelpers)

install(TARGETS windpin_cli RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS windpin windpin_static EXPORT windpinTargets
        LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY include/windpin DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(DIRECTORY demo DESTINATION ${CMAKE_INSTALL_DATADIR}/windpin)
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/windpin)

# From LIBDIR/pkgconfig up to the prefix: LIBDIR may have more than one part (lib/x86_64-linux-gnu).
string(REGEX REPLACE "[^/]+" ".." PC_UP "${CMAKE_INSTALL_LIBDIR}")
configure_file(cmake/windpin.pc.in windpin.pc @ONLY)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/windpin.pc
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)

set(package ${CMAKE_INSTALL_LIBDIR}/cmake/windpin)
install(EXPORT windpinTargets NAMESPACE windpin:: DESTINATION ${package})
configure_package_config_file(cmake/windpinConfig.cmake.in windpinConfig.cmake
                              INSTALL_DESTINATION ${package})
write_basic_package_version_file(windpinConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${CMAKE_CURRENT_BINARY_DIR}/windpinConfig.cmake
        ${CMAKE_CURRENT_BINARY_DIR}/windpinConfigVersion.cmake DESTINATION ${package})
