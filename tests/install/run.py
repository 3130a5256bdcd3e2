#!/usr/bin/env python3
"""run.py SOURCE BUILD: another project links Omnipar, as installed from BUILD, through find_package and pkg-config, and
through add_subdirectory as a shared library without the Linux half, which is built with full counts only. These also
install a shared library, and link each one in debug and release."""
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

SOURCE, BUILD = (pathlib.Path(word).resolve() for word in sys.argv[1:3])
OUTSIDE = SOURCE / "tests/install/outside"
FULL = "OMNIPAR_FULL_COUNTS" in os.environ
work = pathlib.Path(tempfile.mkdtemp(prefix="omnipar-install-"))


def run(*command, **more):
    done = subprocess.run([str(word) for word in command], capture_output=True, text=True, **more)
    if done.returncode != 0:
        sys.exit(f"{' '.join(map(str, command))}\n{done.stdout[-3000:]}{done.stderr[-3000:]}")
    return done.stdout


def works(program, **more):
    said = run(program, **more)
    assert said == "Omnipar 0.1.0: pressed\n", said
    print("good:", program.parent.name, program.name)


def configured(name, *words):
    folder = work / name
    if shutil.which("ccache"):
        words = (*words, "-DCMAKE_CXX_COMPILER_LAUNCHER=ccache")
    run("cmake", "-S", OUTSIDE, "-B", folder, "-G", "Ninja", *words)
    return folder


def built(name, *words):
    folder = configured(name, *words)
    run("cmake", "--build", folder)
    for program in ("frame", "linux"):
        if (folder / program).exists():
            works(folder / program)
    if (folder / "duel").exists():
        said = run(folder / "duel", "--room", SOURCE / "examples/duel/duel.room")
        assert said == (SOURCE / "examples/duel/expected.txt").read_text(), said
    return folder


def by_pkg_config(name, prefix):
    """Both libraries, using only pkg-config."""
    folder = work / name
    folder.mkdir()
    paths = {**os.environ, "PKG_CONFIG_PATH": str(next(prefix.rglob("pkgconfig"))),
             "LD_LIBRARY_PATH": str(next(prefix.rglob("libomnipar-core.*")).parent)}
    for library, program in (("omnipar-core", "frame"), ("omnipar", "linux")):
        words = run("pkg-config", "--cflags", "--libs", library, env=paths).split()
        run("g++", "-std=c++20", OUTSIDE / "main.cpp", "-o", folder / program, *words)
        works(folder / program, env=paths)


def installed(name, build):
    prefix = work / name
    run("cmake", "--install", build, "--prefix", prefix)
    wanted = {path.name for path in (SOURCE / "include/omnipar").iterdir()}
    there = {path.name for path in (prefix / "include/omnipar").iterdir()}
    assert there == wanted, there ^ wanted
    version = run(prefix / "bin/omnipar", "--version", env={**os.environ, "LD_LIBRARY_PATH": str(next(prefix.rglob("libomnipar-core.*")).parent)})
    assert version == "Omnipar 0.1.0\n", version
    kinds = ["Release", "Debug"] if FULL else ["Release"]
    for kind in kinds:
        built(f"{name}-found-{kind}", f"-DCMAKE_PREFIX_PATH={prefix}", f"-DCMAKE_BUILD_TYPE={kind}")
    configured(f"{name}-core-alone", f"-DCMAKE_PREFIX_PATH={prefix}", "-DOMNIPAR_CORE_ALONE=ON")
    by_pkg_config(f"{name}-pkg-config", prefix)


def exported(library):
    lines = run("nm", "-CD", "--defined-only", library).splitlines()
    return [line.split(" ", 2)[2] for line in lines if not line.endswith(f" A OMNIPAR_0")]


def offers_what_is_public(prefix):
    """A shared library exports exactly the listed symbols, and none of its dependencies'."""
    public = {re.sub(r"\(.*", "", line) for line in (SOURCE / "packaging/public_symbols.txt").read_text().splitlines()}
    for name in ("libomnipar-core.so", "libomnipar.so"):
        library = next(prefix.rglob(name))
        symbols = exported(library)
        assert len(symbols) > 100, symbols
        for symbol in symbols:
            plain = re.sub(r"\[abi:\w+\]", "", re.sub(r"\(.*", "", symbol))
            assert plain in public or any(plain.startswith(one) for one in public), f"{library.name} offers {symbol}"
        soname = re.search(r"SONAME.*\[(.*)\]", run("readelf", "-d", library))[1]
        assert soname == f"{name}.0", soname


def packaged(build):
    """Three packages, installed in a temporary root."""
    run("cpack", "-G", "DEB", "-B", work / "packages", cwd=build)
    packages = sorted((work / "packages").glob("*.deb"))
    names = [package.name.split("_")[0] for package in packages]
    assert names == ["libomnipar-dev", "libomnipar0", "omnipar"], names
    root = work / "root"
    if os.geteuid() == 0:
        for folder in ("var/lib/dpkg/info", "var/lib/dpkg/updates"):
            (root / folder).mkdir(parents=True)
        for file in ("status", "available"):
            (root / "var/lib/dpkg" / file).touch()
        run("dpkg", f"--root={root}", "--force-depends", "--force-not-root", "--unpack", *packages)
    else:
        for package in packages:
            run("dpkg-deb", "-x", package, root)
    for path in ("bin/omnipar", "share/man/man1/omnipar.1", "share/bash-completion/completions/omnipar",
                 "share/zsh/vendor-completions/_omnipar", "share/fish/vendor_completions.d/omnipar.fish",
                 "lib/udev/rules.d/70-omnipar.rules", "share/doc/omnipar/copyright", "share/doc/libomnipar0/copyright",
                 "share/doc/libomnipar-dev/copyright", "include/omnipar/session.hpp"):
        assert (root / "usr" / path).exists(), path
    libraries = next(root.rglob("libomnipar-core.so.0")).parent
    there = {**os.environ, "LD_LIBRARY_PATH": str(libraries)}
    assert run(root / "usr/bin/omnipar", "--version", env=there) == "Omnipar 0.1.0\n"
    offers_what_is_public(root)
    os.environ["LD_LIBRARY_PATH"] = str(libraries)
    built("packaged", f"-DCMAKE_PREFIX_PATH={root / 'usr'}", "-DCMAKE_BUILD_TYPE=Release")
    del os.environ["LD_LIBRARY_PATH"]


try:
    installed("static", BUILD)
    quick = ["-DCMAKE_CXX_FLAGS_DEBUG=-O0", "-DCMAKE_UNITY_BUILD=ON"]
    part = ["-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_SYSTEM=OFF", "-DCMAKE_BUILD_TYPE=Debug"]
    # With short counts only the configuration is checked; the library itself has been built before.
    part_folder = (built if FULL else configured)("part-debug", f"-DOMNIPAR_FOLDER={SOURCE}", *part, *quick)
    rules = (part_folder / "omnipar/cmake_install.cmake").read_text()
    assert "file(INSTALL" not in rules, "what takes Omnipar as a part would install it"
    if FULL:
        built("part-release", f"-DOMNIPAR_FOLDER={SOURCE}", "-DCMAKE_BUILD_TYPE=Release", "-DCMAKE_UNITY_BUILD=ON")
        shared = work / "shared-build"
        run("cmake", "-S", SOURCE, "-B", shared, "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Debug", "-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_TESTS=OFF",
            "-DCMAKE_INSTALL_PREFIX=/usr", *quick)
        run("cmake", "--build", shared)
        installed("shared", shared)
        offers_what_is_public(work / "shared")
        packaged(shared)
finally:
    shutil.rmtree(work)
