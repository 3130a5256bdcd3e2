#!/usr/bin/env python3
"""run.py SOURCE BUILD: somebody else's project links Omnipar: what is installed from BUILD by find_package and by
pkg-config, and the folder itself by add_subdirectory, as a shared library without the Linux half. In the full counts
also a shared one that is installed, and each in debug and release."""
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


def built(name, *words):
    folder = work / name
    run("cmake", "-S", OUTSIDE, "-B", folder, "-G", "Ninja", *words)
    run("cmake", "--build", folder)
    for program in ("frame", "linux"):
        if (folder / program).exists():
            works(folder / program)
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
    built("part-debug", f"-DOMNIPAR_FOLDER={SOURCE}", "-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_SYSTEM=OFF", "-DCMAKE_BUILD_TYPE=Debug", *quick)
    if FULL:
        built("part-release", f"-DOMNIPAR_FOLDER={SOURCE}", "-DCMAKE_BUILD_TYPE=Release")
        shared = work / "shared-build"
        run("cmake", "-S", SOURCE, "-B", shared, "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Debug", "-DBUILD_SHARED_LIBS=ON", "-DOMNIPAR_TESTS=OFF")
        run("cmake", "--build", shared)
        installed("shared", shared)
finally:
    shutil.rmtree(work)
