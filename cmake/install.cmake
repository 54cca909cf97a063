# What `make install` lays down: program, libraries, headers, demo, pkg-config and CMake package.
include(CMakePackageConfigHelpers)

install(TARGETS windpin_cli RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR})
install(TARGETS windpin_live RUNTIME DESTINATION ${CMAKE_INSTALL_LIBEXECDIR}/windpin)
install(TARGETS windpin windpin_static EXPORT windpinTargets
        LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY include/windpin DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(DIRECTORY demo DESTINATION ${CMAKE_INSTALL_DATADIR}/windpin)
install(FILES LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/windpin)

# Completions from the tool's own help, manual pages from docs/ too.
find_program(PERL perl)
find_program(SCDOC scdoc)
set(words ${CMAKE_CURRENT_BINARY_DIR}/words)
if(PERL AND WINDPIN_SIMULATOR AND NOT CMAKE_CROSSCOMPILING)
  set(completions ${words}/windpin.bash ${words}/_windpin ${words}/windpin.fish)
  add_custom_command(OUTPUT ${completions} DEPENDS windpin_cli tools/completions
    COMMAND ${PERL} ${CMAKE_CURRENT_SOURCE_DIR}/tools/completions $<TARGET_FILE:windpin_cli> ${words} VERBATIM)
  add_custom_target(completions ALL DEPENDS ${completions})
  install(FILES ${words}/windpin.bash RENAME windpin
          DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions)
  install(FILES ${words}/_windpin DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
  install(FILES ${words}/windpin.fish DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
endif()
if(PERL AND SCDOC)
  foreach(page windpin.1 windpin-rig.5 windpin-plan.5)
    list(APPEND pages ${words}/${page})
    list(APPEND writing COMMAND ${SCDOC} < ${words}/${page}.scd > ${words}/${page})
    string(REGEX REPLACE ".*\\." "man" section ${page})
    install(FILES ${words}/${page} DESTINATION ${CMAKE_INSTALL_MANDIR}/${section})
  endforeach()
  add_custom_command(OUTPUT ${pages}
    DEPENDS tools/manual-pages docs/commands.md docs/rig.md docs/plan.md
    COMMAND ${PERL} ${CMAKE_CURRENT_SOURCE_DIR}/tools/manual-pages ${words} ${writing} VERBATIM)
  add_custom_target(manual_pages ALL DEPENDS ${pages})
endif()

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
