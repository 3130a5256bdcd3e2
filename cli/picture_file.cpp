#include "picture_file.hpp"

#include <fmt/format.h>

#include "beside.hpp"
#include "command.hpp"
#include "files/write.hpp"
#include "os/door.hpp"

namespace omnipar::cli {
namespace {

const draw::Pictures* pictures() {
  const auto offered =
      reinterpret_cast<decltype(&omnipar_pictures)>(symbol_beside("libomnipar-draw.so", "omnipar_pictures"));
  return offered == nullptr ? nullptr : offered();
}

}  // namespace

std::optional<Diagnostic> refuses_picture(const std::string& path) {
  if (path.empty()) return std::nullopt;
  if (!draw::format_of(path))
    return Diagnostic{"bad-picture", Severity::error, "pictures are .svg or .png files", path,
                      "write --picture stick.svg or --picture stick.png"};
  if (pictures() == nullptr)
    return Diagnostic{
        "cannot-draw", Severity::error, "the drawing library cannot be loaded", path,
        "install libomnipar-draw.so with the program, and its dependencies libcairo2 and libpangocairo-1.0-0"};
  return std::nullopt;
}

int draw_picture(const std::string& path, const std::string& hint,
                 const std::function<std::string(const draw::Pictures&, draw::Format)>& drawn) {
  const draw::Pictures* offered = pictures();
  const std::string bytes = offered == nullptr ? "" : drawn(*offered, *draw::format_of(path));
  std::optional<Diagnostic> problem;
  if (bytes.empty())
    problem = Diagnostic{"no-picture", Severity::error, "there is nothing to draw", path, hint};
  else
    problem = files::write_whole(os::real_door(), path, bytes);
  if (problem) {
    tell({*problem});
    return bytes.empty() ? bad_input : machine_refuses;
  }
  talk(fmt::format("Drawn: {}", path));
  return good;
}

}  // namespace omnipar::cli
