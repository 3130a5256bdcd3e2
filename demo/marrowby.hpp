// The session that `omnipar demo` plays, as the texts of demo/marrowby.toml and demo/marrowby.trace.
#pragma once

#include <string_view>

namespace marrowby {

[[nodiscard]] std::string_view sheets_text();
[[nodiscard]] std::string_view trace_text();

}  // namespace marrowby
