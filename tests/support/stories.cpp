#include "support/stories.hpp"

#include <catch2/catch.hpp>
#include <sstream>
#include <unordered_map>

#include <rapidcheck.h>
#include <rapidcheck/detail/TestListenerAdapter.h>

namespace omnipar::test {

void judge_stories(std::uint64_t seed, int count, int longest, const Judge& judge) {
  rc::detail::TestListenerAdapter quiet;
  const std::unordered_map<std::string, rc::detail::Reproduce> none_to_repeat;
  rc::detail::TestParams params;
  params.seed = seed;
  params.maxSuccess = count;
  params.maxSize = longest;
  const auto result = rc::detail::checkTestable(
      [&](const std::vector<std::uint8_t>& story) {
        if (const auto why = judge(story)) RC_FAIL(*why);
      },
      rc::detail::TestMetadata{}, params, quiet, none_to_repeat);
  if (result.is<rc::detail::SuccessResult>()) return;
  std::ostringstream words;
  rc::detail::printResultMessage(result, words);
  FAIL(words.str());
}

}  // namespace omnipar::test
