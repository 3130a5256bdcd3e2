# What `cmake --install` puts where, so that find_package(Omnipar CONFIG) and pkg-config find it: in three components,
# of which packages are made.
include(CMakePackageConfigHelpers)

set(core omnipar-core)
set(whole omnipar)
if(BUILD_SHARED_LIBS)
  set(core omnipar-core-shared)
  set(whole omnipar-shared)
endif()
function(omnipar_install_library target set)
  install(TARGETS ${target} EXPORT ${set}
          ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT dev
          LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR} COMPONENT library NAMELINK_COMPONENT dev)
  install(EXPORT ${set} NAMESPACE Omnipar:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar COMPONENT dev)
endfunction()
omnipar_install_library(${core} omnipar-core-targets)
if(OMNIPAR_SYSTEM)
  omnipar_install_library(${whole} omnipar-targets)
endif()
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/omnipar DESTINATION ${CMAKE_INSTALL_INCLUDEDIR} COMPONENT dev)

configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/OmniparConfig.cmake.in ${PROJECT_BINARY_DIR}/OmniparConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar)
# As the number of the shared library has it: what has the same major version goes together.
write_basic_package_version_file(${PROJECT_BINARY_DIR}/OmniparConfigVersion.cmake COMPATIBILITY SameMajorVersion)
install(FILES ${PROJECT_BINARY_DIR}/OmniparConfig.cmake ${PROJECT_BINARY_DIR}/OmniparConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar COMPONENT dev)

# The files find what they name from where they lie, so that the whole can be moved.
file(RELATIVE_PATH up ${CMAKE_INSTALL_FULL_LIBDIR}/pkgconfig ${CMAKE_INSTALL_PREFIX})

# Whoever links a static library links what it needs, too.
if(BUILD_SHARED_LIBS)
  set(core_needs "Requires.private: fmt")
  set(whole_needs "Requires.private: libevdev libudev libsystemd")
else()
  set(core_needs "Requires: fmt")
  set(whole_needs "Requires: omnipar-core = ${PROJECT_VERSION}, libevdev, libudev, libsystemd")
endif()
foreach(library ${libraries})
  configure_file(${CMAKE_CURRENT_LIST_DIR}/${library}.pc.in ${PROJECT_BINARY_DIR}/${library}.pc @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/${library}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig COMPONENT dev)
endforeach()
install(FILES ${PROJECT_SOURCE_DIR}/LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/libomnipar-dev RENAME copyright
        COMPONENT dev)
install(FILES ${PROJECT_SOURCE_DIR}/LICENSE RENAME copyright COMPONENT library
        DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/libomnipar${PROJECT_VERSION_MAJOR})

if(TARGET omnipar-tool)
  set(words ${CMAKE_CURRENT_LIST_DIR})
  install(TARGETS omnipar-tool RUNTIME DESTINATION ${CMAKE_INSTALL_BINDIR} COMPONENT tool)
  install(TARGETS omnipar-draw omnipar-page LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR}/omnipar COMPONENT tool)
  install(FILES ${words}/omnipar.1 DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool)
  install(FILES ${words}/completions/omnipar.bash RENAME omnipar COMPONENT tool
          DESTINATION ${CMAKE_INSTALL_DATADIR}/bash-completion/completions)
  install(FILES ${words}/completions/omnipar.zsh RENAME _omnipar COMPONENT tool
          DESTINATION ${CMAKE_INSTALL_DATADIR}/zsh/vendor-completions)
  install(FILES ${words}/completions/omnipar.fish COMPONENT tool
          DESTINATION ${CMAKE_INSTALL_DATADIR}/fish/vendor_completions.d)
  install(FILES ${words}/70-omnipar.rules DESTINATION lib/udev/rules.d COMPONENT tool)
  install(FILES ${words}/omnipar.conf DESTINATION lib/modules-load.d COMPONENT tool)
  install(FILES ${PROJECT_SOURCE_DIR}/LICENSE DESTINATION ${CMAKE_INSTALL_DATADIR}/doc/omnipar RENAME copyright
          COMPONENT tool)
  include(${CMAKE_CURRENT_LIST_DIR}/debian.cmake)
endif()
