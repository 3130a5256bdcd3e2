#!/usr/bin/env python3
"""run.py SOURCE BUILD: somebody else's project links Omnipar: what is installed from BUILD by find_package and by
pkg-config. The folder itself is taken by add_subdirectory, as a shared library without the Linux half: built in the
full counts. There also a shared one is installed, and each is linked in debug and release."""
import os
import pathlib
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
    """Both libraries, by the words of pkg-config alone."""
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
    by_pkg_config(f"{name}-pkg-config", prefix)


try:
    installed("static", BUILD)
    quick = ["-DCMAKE_CXX_FLAGS_DEBUG=-O0", "-DCMAKE_UNITY_BUILD=ON"]
    part = ["-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_SYSTEM=OFF", "-DCMAKE_BUILD_TYPE=Debug"]
    # In the short counts it is seen to be taken as a part, but what it is made of has been built before.
    (built if FULL else configured)("part-debug", f"-DOMNIPAR_FOLDER={SOURCE}", *part, *quick)
    if FULL:
        built("part-release", f"-DOMNIPAR_FOLDER={SOURCE}", "-DCMAKE_BUILD_TYPE=Release", "-DCMAKE_UNITY_BUILD=ON")
        shared = work / "shared-build"
        run("cmake", "-S", SOURCE, "-B", shared, "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Debug", "-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_TESTS=OFF", *quick)
        run("cmake", "--build", shared)
        installed("shared", shared)
finally:
    shutil.rmtree(work)
