# What `cmake --install` puts where, so that find_package(Omnipar CONFIG) and pkg-config find it.
include(CMakePackageConfigHelpers)

install(TARGETS ${libraries} EXPORT omnipar-targets
        ARCHIVE DESTINATION ${CMAKE_INSTALL_LIBDIR} LIBRARY DESTINATION ${CMAKE_INSTALL_LIBDIR})
install(DIRECTORY ${PROJECT_SOURCE_DIR}/include/omnipar DESTINATION ${CMAKE_INSTALL_INCLUDEDIR})
install(EXPORT omnipar-targets NAMESPACE Omnipar:: DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar)

configure_package_config_file(${CMAKE_CURRENT_LIST_DIR}/OmniparConfig.cmake.in ${PROJECT_BINARY_DIR}/OmniparConfig.cmake
                              INSTALL_DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar)
write_basic_package_version_file(${PROJECT_BINARY_DIR}/OmniparConfigVersion.cmake COMPATIBILITY SameMinorVersion)
install(FILES ${PROJECT_BINARY_DIR}/OmniparConfig.cmake ${PROJECT_BINARY_DIR}/OmniparConfigVersion.cmake
        DESTINATION ${CMAKE_INSTALL_LIBDIR}/cmake/Omnipar)

# The files find what they name from where they lie, so that the whole can be moved.
file(RELATIVE_PATH up ${CMAKE_INSTALL_FULL_LIBDIR}/pkgconfig ${CMAKE_INSTALL_PREFIX})

# Whoever links a static library links what it needs, too.
get_target_property(type omnipar-core TYPE)
if(type STREQUAL "SHARED_LIBRARY")
  set(private .private)
  set(needs "")
else()
  set(private "")
  set(needs ", libevdev, libudev, libsystemd")
endif()
foreach(library ${libraries})
  configure_file(${CMAKE_CURRENT_LIST_DIR}/${library}.pc.in ${PROJECT_BINARY_DIR}/${library}.pc @ONLY)
  install(FILES ${PROJECT_BINARY_DIR}/${library}.pc DESTINATION ${CMAKE_INSTALL_LIBDIR}/pkgconfig)
endforeach()
