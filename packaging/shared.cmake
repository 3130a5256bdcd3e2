# Shared libraries out of the static ones, which the command and the tests are linked with: they offer what
# public_symbols.txt lists and nothing else. Each is whole, so that what is inside stays inside: the Linux one has the
# core within itself, and a program links one of them.
file(STRINGS ${CMAKE_CURRENT_LIST_DIR}/public_symbols.txt symbols)
list(TRANSFORM symbols REPLACE "[(].*" "")
list(TRANSFORM symbols REPLACE "[^A-Za-z0-9_:]" "?")  # as a script must have it
list(REMOVE_DUPLICATES symbols)
set(offered "")
foreach(name ${symbols})
  # Behind a function's name is its list of parameters, or the tag of the standard library's strings.
  string(APPEND offered "    ${name}[$-9]*;\n    ${name}[[]abi*;\n")
endforeach()
set(script ${PROJECT_BINARY_DIR}/omnipar.map)
file(CONFIGURE OUTPUT ${script} CONTENT "OMNIPAR_${PROJECT_VERSION_MAJOR} {\n  global:\n  extern \"C++\" {\n${offered}  };\n  local: *;\n};\n" @ONLY)
file(CONFIGURE OUTPUT ${PROJECT_BINARY_DIR}/nothing.cpp CONTENT "" @ONLY)

function(omnipar_shared name exported parts needs)
  add_library(${name}-shared SHARED ${PROJECT_BINARY_DIR}/nothing.cpp)
  add_dependencies(${name}-shared ${parts})
  list(TRANSFORM parts PREPEND "$<TARGET_FILE:" OUTPUT_VARIABLE files)
  list(TRANSFORM files APPEND ">")
  target_link_libraries(${name}-shared PRIVATE -Wl,--whole-archive ${files} -Wl,--no-whole-archive ${needs}
                        INTERFACE tl::expected)
  target_compile_features(${name}-shared INTERFACE cxx_std_20)
  target_include_directories(${name}-shared INTERFACE $<BUILD_INTERFACE:${PROJECT_SOURCE_DIR}/include>
                                                      $<INSTALL_INTERFACE:${CMAKE_INSTALL_INCLUDEDIR}>)
  target_link_options(${name}-shared PRIVATE -Wl,--version-script=${script} -Wl,--no-undefined)
  set_target_properties(${name}-shared PROPERTIES OUTPUT_NAME ${name} EXPORT_NAME ${exported} LINK_DEPENDS "${script};${files}"
                        VERSION ${PROJECT_VERSION} SOVERSION ${PROJECT_VERSION_MAJOR})
  add_library(Omnipar::${exported} ALIAS ${name}-shared)
endfunction()

omnipar_shared(omnipar-core core omnipar-core fmt::fmt)
if(OMNIPAR_SYSTEM)
  omnipar_shared(omnipar omnipar "omnipar-core;omnipar"
                 "fmt::fmt;Threads::Threads;PkgConfig::EVDEV;PkgConfig::UDEV;PkgConfig::SYSTEMD")
endif()
