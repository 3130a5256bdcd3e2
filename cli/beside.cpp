#include "beside.hpp"

#include <dlfcn.h>

#include <fmt/format.h>

#include "os/door.hpp"

namespace omnipar::cli {

void* symbol_beside(const std::string& library, const char* name) {
  const std::string program = os::real_door().real_path("/proc/self/exe");
  const std::string folder = program.substr(0, program.rfind('/'));
  void* loaded = nullptr;
  for (const char* const from : {"", "/../" OMNIPAR_LIBRARY_FOLDER "/omnipar"}) {
    if (loaded != nullptr) break;
    const std::string path = fmt::format("{}{}/{}", folder, from, library);
    loaded = dlopen(path.c_str(), RTLD_NOW | RTLD_LOCAL);
  }
  return loaded == nullptr ? nullptr : dlsym(loaded, name);
}

}  // namespace omnipar::cli
