"""Imports a unit of FMI 2.0 as a simulator does, knowing nothing but the standard.

Use: run_fmu.py UNIT.fmu SETTINGS.json; settings are objects of names and values, choices by name. Prints a JSON object:
what stands in the model description, and the outputs at each setting by co-simulation and by model exchange.
"""
import ctypes as c
import json
import math
import pathlib
import shutil
import sys
import tempfile
import urllib.parse
import xml.etree.ElementTree as xml
import zipfile

OK = 0
LOGGER = c.CFUNCTYPE(None, c.c_void_p, c.c_char_p, c.c_int, c.c_char_p, c.c_char_p)
ALLOCATE = c.CFUNCTYPE(c.c_void_p, c.c_size_t, c.c_size_t)
FREE = c.CFUNCTYPE(None, c.c_void_p)
FINISHED = c.CFUNCTYPE(None, c.c_void_p, c.c_int)


class Callbacks(c.Structure):
    _fields_ = [("logger", LOGGER), ("allocate", ALLOCATE), ("free", FREE), ("finished", FINISHED), ("environment", c.c_void_p)]


class EventInfo(c.Structure):
    _fields_ = [(name, c.c_int) for name in ("again", "terminate", "nominals", "values", "time_defined")] + [("time", c.c_double)]


def described(root):
    """Variables by name: value reference, causality, type and its attributes; items of enumerations."""
    types = {}
    for simple in root.iterfind("TypeDefinitions/SimpleType"):
        items = {item.get("name"): int(item.get("value")) for item in simple.iterfind("Enumeration/Item")}
        types[simple.get("name")] = items
    variables = {}
    for variable in root.iterfind("ModelVariables/ScalarVariable"):
        (kind,) = list(variable)
        assert variable.get("name") not in variables, "a name stands twice"
        variables[variable.get("name")] = {
            "reference": int(variable.get("valueReference")),
            "causality": variable.get("causality"),
            "variability": variable.get("variability"),
            "type": kind.tag,
            "unit": kind.get("unit"),
            "min": kind.get("min"),
            "max": kind.get("max"),
            "start": kind.get("start"),
            "items": types.get(kind.get("declaredType")),
        }
    units = {unit.get("name") for unit in root.iterfind("UnitDefinitions/Unit")}
    assert all(v["unit"] is None or v["unit"] in units for v in variables.values()), "a unit is not defined"
    references = [v["reference"] for v in variables.values()]
    assert len(set(references)) == len(references)
    outputs = [k + 1 for k, v in enumerate(variables.values()) if v["causality"] == "output"]
    for part in ("Outputs", "InitialUnknowns"):
        assert [int(u.get("index")) for u in root.iterfind(f"ModelStructure/{part}/Unknown")] == outputs, part
    return variables


class Unit:
    """An instance; every call must answer that all is well."""

    def __init__(self, library, kind, root, folder, messages):
        self.library = library
        self.call_back = Callbacks(
            LOGGER(lambda e, name, status, category, text: messages.append(text.decode())),
            ALLOCATE(), FREE(), FINISHED(), None)
        instantiate = library.fmi2Instantiate
        instantiate.restype = c.c_void_p
        instantiate.argtypes = [c.c_char_p, c.c_int, c.c_char_p, c.c_char_p, c.c_void_p, c.c_int, c.c_int]
        where = "file://" + urllib.parse.quote(str(folder / "resources"))
        self.arguments = (b"unit", kind, root.get("guid").encode(), where.encode(), c.addressof(self.call_back), 0, 0)
        self.me = instantiate(*self.arguments)
        assert self.me, messages
        self.messages = messages

    def __call__(self, name, *arguments):
        function = getattr(self.library, "fmi2" + name)
        status = function(c.c_void_p(self.me), *arguments)
        assert status == OK, (name, status, self.messages)

    def set(self, variable, value):
        if variable["items"] is not None:
            value = variable["items"][value] if isinstance(value, str) else value
        kind = c.c_double if variable["type"] == "Real" else c.c_int
        name = "SetReal" if variable["type"] == "Real" else "SetInteger"
        self(name, c.byref(c.c_uint(variable["reference"])), c.c_size_t(1), c.byref(kind(value)))

    def get(self, variable):
        kind, name = {"Real": (c.c_double, "GetReal"), "Boolean": (c.c_int, "GetBoolean"), "Enumeration": (c.c_int, "GetInteger")}[variable["type"]]
        value = kind()
        self(name, c.byref(c.c_uint(variable["reference"])), c.c_size_t(1), c.byref(value))
        return value.value if not isinstance(value.value, float) or math.isfinite(value.value) else str(value.value)

    def free(self):
        free = self.library.fmi2FreeInstance
        free.restype = None
        free(c.c_void_p(self.me))


def simulate(unit, kind, variables, settings):
    """The outputs at each setting, one step a setting."""
    outputs = {name: v for name, v in variables.items() if v["causality"] == "output"}
    starts = {name: unit.get(v) for name, v in variables.items() if v["causality"] == "input"}
    unit("SetupExperiment", c.c_int(0), c.c_double(0), c.c_double(0), c.c_int(1), c.c_double(1e9))
    unit("EnterInitializationMode")
    unit("ExitInitializationMode")
    if kind == 0:
        info = EventInfo()
        unit("NewDiscreteStates", c.byref(info))
        assert not info.again and not info.terminate
        unit("EnterContinuousTimeMode")
    rows = []
    for k, setting in enumerate(settings):
        if kind == 0:
            unit("SetTime", c.c_double(k))
        for name, value in setting.items():
            unit.set(variables[name], float(value) if variables[name]["type"] == "Real" else value)
        if kind == 0:
            event, end = c.c_int(1), c.c_int(1)
            unit("CompletedIntegratorStep", c.c_int(1), c.byref(event), c.byref(end))
            assert not event.value and not end.value
            unit("GetDerivatives", None, c.c_size_t(0))
            unit("GetEventIndicators", None, c.c_size_t(0))
        else:
            unit("DoStep", c.c_double(k), c.c_double(1), c.c_int(1))
        rows.append({name: unit.get(v) for name, v in outputs.items()})
    # A state that was put aside comes back.
    state = c.c_void_p()
    unit("GetFMUstate", c.byref(state))
    unit("Reset")
    assert {name: unit.get(v) for name, v in variables.items() if v["causality"] == "input"} == starts
    unit("SetFMUstate", state)
    assert {name: unit.get(v) for name, v in outputs.items()} == rows[-1]
    size = c.c_size_t()
    unit("SerializedFMUstateSize", state, c.byref(size))
    kept = (c.c_char * size.value)()
    unit("SerializeFMUstate", state, kept, size)
    again = c.c_void_p()
    unit("DeSerializeFMUstate", kept, size, c.byref(again))
    unit("Reset")
    unit("SetFMUstate", again)
    assert {name: unit.get(v) for name, v in outputs.items()} == rows[-1]
    unit("FreeFMUstate", c.byref(state))
    unit("FreeFMUstate", c.byref(again))
    unit("Terminate")
    return starts, rows


def refusals(library, root, folder):
    """What a wrong guid and a wrong place are answered."""
    said = []
    for guid, place in (("{wrong}", str(folder / "resources")), (root.get("guid"), "/nowhere")):
        messages = []
        call_back = Callbacks(LOGGER(lambda e, n, s, k, text: messages.append(text.decode())), ALLOCATE(), FREE(), FINISHED(), None)
        made = library.fmi2Instantiate(b"unit", 1, guid.encode(), ("file://" + urllib.parse.quote(place)).encode(), c.addressof(call_back), 0, 0)
        assert not made
        said += messages
    return said


def main():
    unit_file, settings_file = sys.argv[1:]
    settings = json.loads(pathlib.Path(settings_file).read_text())
    scratch = pathlib.Path(tempfile.mkdtemp())
    folder = scratch / "a b %41 é"
    try:
        with zipfile.ZipFile(unit_file) as archive:
            assert archive.testzip() is None
            archive.extractall(folder)
            files = sorted(archive.namelist())
        root = xml.parse(folder / "modelDescription.xml").getroot()
        assert root.tag == "fmiModelDescription" and root.get("fmiVersion") == "2.0"
        variables = described(root)
        out = {"files": files, "variables": variables, "guid": root.get("guid")}
        for name, kind in (("CoSimulation", 1), ("ModelExchange", 0)):
            part = root.find(name)
            for source in part.iterfind("SourceFiles/File"):
                assert (folder / "sources" / source.get("name")).is_file()
            library = c.CDLL(str(folder / "binaries" / "linux64" / (part.get("modelIdentifier") + ".so")))
            library.fmi2GetVersion.restype = c.c_char_p
            assert library.fmi2GetVersion() == b"2.0"
            # Two at a time do not disturb each other.
            first, second = (Unit(library, kind, root, folder, []) for _ in range(2))
            second.set(next(iter(variables.values())), 1.0)
            out[name] = dict(zip(("starts", "rows"), simulate(first, kind, variables, settings)))
            first.free()
            second.free()
        out["refusals"] = refusals(library, root, folder)
        print(json.dumps(out))
    finally:
        shutil.rmtree(scratch)


main()
