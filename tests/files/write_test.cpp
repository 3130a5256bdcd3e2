// Promise 6: a file is the complete old or new version, whatever happens at any call, and old versions are kept.
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <catch2/catch.hpp>
#include <filesystem>
#include <set>
#include <tuple>

#include "files/keeping.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "support/faulty_door.hpp"
#include "support/folder.hpp"

using namespace omnipar;
using test::content;
using test::Fault;
using test::FaultyDoor;
using test::Folder;
using test::put;

namespace {

const std::string old_text = "# mine\n" + std::string(40'000, 'o') + "\n";
const std::string new_text = "# mine\n" + std::string(50'000, 'n') + "\n";

tl::expected<bool, Diagnostics> change_to(os::Door& door, const Folder& folder, const std::string& text) {
  return files::change_file(door, folder / "deep/cabinet.toml", folder / "versions",
                            [&](const std::string&) { return tl::expected<std::string, Diagnostics>{text}; });
}

tl::expected<std::string, Diagnostics> undo(os::Door& door, const Folder& folder) {
  return files::undo(door, folder / "deep/cabinet.toml", folder / "versions");
}

std::string now(const Folder& folder) { return content(folder / "deep/cabinet.toml"); }

/// A text that must be in the file or among its versions.
bool is_kept(const Folder& folder, const std::string& text) {
  const auto holds = [&](const std::string& name) { return content(folder / ("versions/" + name)) == text; };
  return now(folder) == text || std::ranges::any_of(os::real_door().names_in(folder / "versions"), holds);
}

enum class Job { create, change, undo };

void prepare(const Folder& folder, Job job) {
  if (job == Job::create) return;
  put(folder / "deep/cabinet.toml", old_text);
  if (job == Job::undo) REQUIRE(change_to(os::real_door(), folder, new_text) == true);
}

bool run(os::Door& door, const Folder& folder, Job job) {
  return job == Job::undo ? undo(door, folder).has_value() : change_to(door, folder, new_text).has_value();
}

/// The file before and after the job.
std::string before(Job job) { return job == Job::create ? "" : job == Job::change ? old_text : new_text; }
std::string after(Job job) { return job == Job::undo ? old_text : new_text; }

int calls_of(Job job) {
  const Folder folder;
  prepare(folder, job);
  FaultyDoor door{Fault::none, 0};
  REQUIRE(run(door, folder, job));
  return door.calls();
}

void end_behind(int call, const Folder& folder, Job job) {
  const pid_t child = ::fork();
  if (child == 0) {
    FaultyDoor door{Fault::last_call, call};
    ::_exit(run(door, folder, job) ? 1 : 2);
  }
  int status = 0;
  REQUIRE(::waitpid(child, &status, 0) == child);
  REQUIRE(WIFEXITED(status));
  REQUIRE(WEXITSTATUS(status) == 0);  // the process did end after the call
}

}  // namespace

TEST_CASE("If the process dies after any call, the file is the old or the new one", "[files]") {
  const Job job = GENERATE(Job::create, Job::change, Job::undo);
  const int calls = calls_of(job);
  REQUIRE(calls > 10);
  bool saw_old = false;
  bool saw_new = false;
  for (int call = 1; call <= calls; ++call) {
    CAPTURE(static_cast<int>(job), call);
    const Folder folder;
    prepare(folder, job);
    end_behind(call, folder, job);
    const std::string found = now(folder);
    REQUIRE((found == before(job) || found == after(job)));
    saw_old = saw_old || found == before(job);
    saw_new = saw_new || found == after(job);
    if (job != Job::create) REQUIRE(is_kept(folder, before(job)));
    if (job == Job::undo) REQUIRE(is_kept(folder, old_text));
    // The next run finds everything in order.
    REQUIRE(change_to(os::real_door(), folder, "next") == true);
    REQUIRE(now(folder) == "next");
    REQUIRE(undo(os::real_door(), folder));
    REQUIRE(now(folder) == found);  // or the file is gone again
  }
  REQUIRE(saw_old);
  REQUIRE(saw_new);
}

TEST_CASE("If any call fails or returns short, it is reported or survived and the file is whole", "[files]") {
  const Job job = GENERATE(Job::create, Job::change, Job::undo);
  const Fault fault = GENERATE(Fault::fails, Fault::short_way);
  for (int call = 1; call <= calls_of(job); ++call) {
    CAPTURE(static_cast<int>(job), static_cast<int>(fault), call);
    const Folder folder;
    prepare(folder, job);
    FaultyDoor door{fault, call};
    const bool good = run(door, folder, job);
    REQUIRE(now(folder) == (good ? after(job) : before(job)));
    if (fault == Fault::short_way) REQUIRE(good);
    if (job != Job::create) REQUIRE(is_kept(folder, before(job)));
    REQUIRE(os::real_door().names_in(folder / "deep").size() <= 1);
  }
}

TEST_CASE("The last ten versions are saved and can be undone one by one", "[files]") {
  const Folder folder;
  os::Door& door = os::real_door();
  for (int i = 0; i <= 12; ++i) REQUIRE(change_to(door, folder, std::to_string(i)) == true);
  REQUIRE(change_to(door, folder, "12") == false);  // nothing to change
  for (int i = 11; i >= 2; --i) {
    const auto kept = undo(door, folder);
    REQUIRE(kept);
    REQUIRE(now(folder) == std::to_string(i));
    REQUIRE(content(*kept) == std::to_string(i + 1));
  }
  REQUIRE(undo(door, folder).error()[0].id == "nothing-to-undo");
  REQUIRE(now(folder) == "2");
}

TEST_CASE("Other files among the versions are ignored", "[files]") {
  const Folder folder;
  os::Door& door = os::real_door();
  REQUIRE(change_to(door, folder, old_text) == true);
  for (const char* name : {"999999999999999999999999", "undone-99999999999999999999"})
    REQUIRE_FALSE(files::write_whole(door, folder / (std::string{"versions/"} + name), "a stranger's"));
  REQUIRE(change_to(door, folder, new_text) == true);
  REQUIRE(undo(door, folder));
  CHECK(now(folder) == old_text);
}

TEST_CASE("Links are followed, and permissions and write protection are respected", "[files]") {
  namespace fs = std::filesystem;
  const Folder folder;
  os::Door& door = os::real_door();
  put(folder / "elsewhere/real.toml", old_text);
  fs::permissions(folder / "elsewhere/real.toml", fs::perms{0640});
  fs::create_directories(folder / "deep");
  fs::create_symlink(folder / "elsewhere/real.toml", folder / "deep/cabinet.toml");
  REQUIRE(change_to(door, folder, new_text) == true);
  REQUIRE(fs::is_symlink(folder / "deep/cabinet.toml"));
  REQUIRE(content(folder / "elsewhere/real.toml") == new_text);
  REQUIRE(fs::status(folder / "elsewhere/real.toml").permissions() == fs::perms{0640});
  fs::permissions(folder / "elsewhere/real.toml", fs::perms{0440});
  REQUIRE(change_to(door, folder, "again").error()[0].id == "write-protected");
  REQUIRE(content(folder / "elsewhere/real.toml") == new_text);
}

TEST_CASE("Concurrent changes of one file do not interfere", "[files]") {
  const Folder folder;
  os::Door& door = os::real_door();
  std::string met;
  const auto outer =
      files::change_file(door, folder / "deep/cabinet.toml", folder / "versions", [&](const std::string&) {
        met = change_to(door, folder, "inner").error()[0].id;
        return tl::expected<std::string, Diagnostics>{"outer"};
      });
  REQUIRE(outer == true);
  REQUIRE(met == "busy-file");
  REQUIRE(now(folder) == "outer");
}

TEST_CASE("Lines are read in order, wherever the chunks end", "[files]") {
  const Folder folder;
  std::string text;
  std::vector<std::string> wanted;
  for (std::size_t i = 0; i < 3000; ++i) {
    wanted.emplace_back(i * 7919 % 97, static_cast<char>('a' + i % 26));
    text += wanted.back() + (i + 1 < 3000 ? "\n" : GENERATE(as<std::string>{}, "", "\n"));
  }
  put(folder / "lines", text);
  FaultyDoor door{Fault::short_way, GENERATE(0, 2, 3, 7)};
  files::LineReader lines{door, folder / "lines"};
  for (const std::string& line : wanted) {
    if (&line == &wanted.back() && line.empty() && !text.ends_with('\n')) break;
    const auto got = lines.next();
    REQUIRE(got);
    REQUIRE(*got == line);
  }
  REQUIRE_FALSE(lines.next().value());
}

TEST_CASE("Unterminated lines and paths that are not regular files", "[files]") {
  const Folder folder;
  put(folder / "endless", std::string(70'000, 'x'));
  const auto id_of = [](const std::string& path) { return files::LineReader{os::real_door(), path}.next().error().id; };
  REQUIRE(id_of(folder / "endless") == "line-too-long");
  REQUIRE(id_of(folder / "nothing") == "no-file");
  REQUIRE(id_of(folder / ".") == "not-a-file");
}

TEST_CASE("Other files in the directory are not touched", "[files]") {
  namespace fs = std::filesystem;
  const Folder folder;
  os::Door& door = os::real_door();
  put(folder / "deep/cabinet.toml", old_text);
  put(folder / "precious", "mine");
  const std::string beside = folder / "deep/cabinet.toml.new";
  SECTION("a file of that name") { put(beside, "mine, too"); }
  SECTION("a link to something else") { fs::create_symlink(folder / "precious", beside); }
  SECTION("a pipe without a reader") { REQUIRE(::mkfifo(beside.c_str(), 0600) == 0); }
  const auto kind = fs::symlink_status(beside).type();
  REQUIRE(change_to(door, folder, new_text) == true);
  REQUIRE_FALSE(files::refuses_change(door, folder / "deep/cabinet.toml", folder / "versions"));
  CHECK(now(folder) == new_text);
  CHECK(content(folder / "precious") == "mine");
  CHECK(fs::symlink_status(beside).type() == kind);
  if (kind == fs::file_type::regular) CHECK(content(beside) == "mine, too");
  CHECK(os::real_door().names_in(folder / "deep").size() == 2);  // no file of ours remains either
}

TEST_CASE("The name of a temporary file is unpredictable", "[files]") {
  std::set<std::uint64_t> numbers;
  for (int i = 0; i < 100; ++i) numbers.insert(os::real_door().random());
  CHECK(numbers.size() == 100);
}

TEST_CASE("A dangling link remains a link, and its target is created", "[files]") {
  namespace fs = std::filesystem;
  const Folder folder;
  os::Door& door = os::real_door();
  fs::create_directories(folder / "deep");
  fs::create_directories(folder / "elsewhere");
  fs::create_symlink("../elsewhere/later.toml", folder / "deep/cabinet.toml");
  REQUIRE(change_to(door, folder, new_text) == true);
  CHECK(fs::is_symlink(folder / "deep/cabinet.toml"));
  CHECK(content(folder / "elsewhere/later.toml") == new_text);
  fs::create_symlink(folder / "unplugged/drive/cabinet.toml", folder / "away.toml");
  const auto refused = files::write_whole(door, folder / "away.toml", "text");
  REQUIRE(refused);
  CHECK(refused->id == "cannot-write");
  CHECK(refused->message.find("unplugged/drive/cabinet.toml") != std::string::npos);
  CHECK(fs::is_symlink(folder / "away.toml"));
  CHECK_FALSE(fs::exists(folder / "unplugged"));
}

TEST_CASE("A device cannot be written as a file", "[files]") {
  const Folder folder;
  REQUIRE(::mkfifo((folder / "pipe").c_str(), 0600) == 0);
  for (const std::string& path : {std::string{"/dev/null"}, folder / "pipe", folder / "."}) {
    const auto refused = files::write_whole(os::real_door(), path, "text");
    REQUIRE(refused);
    CHECK(refused->id == "not-a-file");
  }
  CHECK(std::filesystem::is_character_file("/dev/null"));
}

TEST_CASE("Root leaves ownership of a user's files unchanged", "[files]") {
  if (::geteuid() != 0) {
    WARN("only root can see this");
    return;
  }
  constexpr uid_t user = 12345;
  constexpr gid_t group = 12346;
  const auto of = [](const std::string& path) {
    struct stat kind {};
    REQUIRE(::stat(path.c_str(), &kind) == 0);
    return std::tuple{kind.st_uid, kind.st_gid, kind.st_mode & 07777U};
  };
  const Folder folder;
  os::Door& door = os::real_door();
  put(folder / "deep/cabinet.toml", old_text);
  for (const std::string& path : {folder / ".", folder / "deep"}) REQUIRE(::chown(path.c_str(), user, group) == 0);
  REQUIRE(::chown((folder / "deep/cabinet.toml").c_str(), user, group + 1) == 0);
  std::filesystem::permissions(folder / "deep/cabinet.toml", std::filesystem::perms{0640});
  const mode_t mask = ::umask(077);
  REQUIRE(change_to(door, folder, new_text) == true);
  REQUIRE_FALSE(files::write_whole(door, folder / "deep/more/new.toml", "new"));
  REQUIRE_FALSE(files::write_whole(door, folder / "rule", "rule", files::Readers::everybody));
  ::umask(mask);
  CHECK(of(folder / "deep/cabinet.toml") == std::tuple{user, group + 1, 0640U});
  CHECK(of(folder / "deep/more/new.toml") == std::tuple{user, group, 0600U});
  CHECK(of(folder / "rule") == std::tuple{user, group, 0644U});
  for (const char* made : {"versions", "versions/lock", "versions/000001", "deep/more"})
    CHECK(std::get<0>(of(folder / made)) == user);
}

TEST_CASE("A path of any length has versions of its own", "[files]") {
  const Folder folder;
  os::Door& door = os::real_door();
  const std::string deep = folder / (std::string(120, 'a') + "/" + std::string(120, 'b') + "/" + std::string(119, 'c'));
  ::setenv("XDG_STATE_HOME", (folder / "state").c_str(), 1);
  std::set<std::string> folders;
  for (const std::string& name : {deep + "/own.toml", deep + "x/own.toml", deep + "/\u00e4\u00f6\u00fc.toml"}) {
    const std::string versions = files::versions_of(door, name);
    CHECK(versions.substr(versions.rfind('/') + 1).size() <= 255);
    folders.insert(versions);
    for (const char* text : {"one", "two"})
      REQUIRE(files::change_file(door, name, versions, [&](const std::string&) { return files::Text{text}; }) == true);
    CHECK(former_versions(name).size() == 2);  // before the first version there was no file
    REQUIRE(files::undo(door, name, versions));
    CHECK(content(name) == "one");
    REQUIRE(files::undo(door, name, versions));
    CHECK(door.real_path(name).empty());
    CHECK_FALSE(files::undo(door, name, versions));
  }
  CHECK(folders.size() == 3);
  ::unsetenv("XDG_STATE_HOME");
}
