"""Builds the wheel for pip (PEP 517) with CMake, out of the source tree, with nothing fetched."""

import base64
import hashlib
import os
import pathlib
import re
import subprocess
import sys
import sysconfig
import tempfile
import zipfile

ROOT = pathlib.Path(__file__).resolve().parent.parent


def _version():
    text = (ROOT / "src/renth/version.hpp").read_text()
    return re.search(r'version = "([0-9.]+)"', text).group(1)


def _tag():
    platform = sysconfig.get_platform().replace("-", "_").replace(".", "_")
    python = f"cp{sys.version_info.major}{sys.version_info.minor}"
    return f"{python}-{python}-{platform}"


def _metadata():
    return (f"Metadata-Version: 2.1\nName: renth\nVersion: {_version()}\n"
            "Summary: Sampling a solver's parameter space, fitting surrogates, and acting on them\n"
            "License: Apache-2.0\nRequires-Python: >=3.11\nRequires-Dist: numpy\n\n"
            + (ROOT / "README.md").read_text(encoding="utf-8"))


def build_wheel(wheel_directory, config_settings=None, metadata_directory=None):
    # A build that is there already can be named, and is used as it is: RENTH_BUILD=build/ci pip install .
    given = os.environ.get("RENTH_BUILD")
    with tempfile.TemporaryDirectory() as scratch:
        build = pathlib.Path(given) if given else pathlib.Path(scratch) / "build"
        if not build.is_absolute():
            build = ROOT / build
        if not given:
            subprocess.run(["cmake", "-S", ROOT, "-B", build, "-G", "Ninja", "-DCMAKE_BUILD_TYPE=Release",
                            "-DCMAKE_UNITY_BUILD=ON", "-DRENTH_BUILD_TESTS=OFF",
                            f"-DPYTHON_EXECUTABLE={sys.executable}"], check=True)
        subprocess.run(["cmake", "--build", build, "--target", "renth_python"], check=True)
        name = f"renth-{_version()}-{_tag()}.whl"
        info = f"renth-{_version()}.dist-info"
        files = {f"renth/{file.name}": file.read_bytes() for file in sorted((build / "python/renth").iterdir())
                 if file.suffix in (".py", ".pyi", ".so", ".html") or file.name == "py.typed"}
        files[f"{info}/METADATA"] = _metadata().encode()
        files[f"{info}/WHEEL"] = (f"Wheel-Version: 1.0\nGenerator: renth\nRoot-Is-Purelib: false\nTag: {_tag()}\n").encode()
        files[f"{info}/LICENSE"] = (ROOT / "LICENSE").read_bytes()
        record = "".join(f"{path},sha256={base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b'=').decode()},{len(data)}\n"
                         for path, data in files.items())
        files[f"{info}/RECORD"] = (record + f"{info}/RECORD,,\n").encode()
        with zipfile.ZipFile(pathlib.Path(wheel_directory) / name, "w", zipfile.ZIP_DEFLATED) as wheel:
            for path, data in files.items():
                wheel.writestr(path, data)
        return name


def build_sdist(sdist_directory, config_settings=None):
    raise NotImplementedError("renth is built from its repository")
