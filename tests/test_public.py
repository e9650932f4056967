"""What `veridex` shows to the world: names, cost of import, errors."""

import json
import pickle
import subprocess
import sys
from dataclasses import fields, is_dataclass
from types import ModuleType

import pytest

import veridex as vx
from conftest import monthly
from veridex import errors

HEAVY = ("pandas", "numba", "scipy", "matplotlib", "plotly", "dask", "sqlalchemy", "numpy", "pyarrow")


def test_public_names_are_deliberate():
    assert vx.__all__ == sorted(vx.__all__)
    assert {name for name in vx.__all__ if getattr(vx, name) is None} == set()
    visible = {n for n, v in vars(vx).items() if n[0] != "_" and not isinstance(v, ModuleType)}
    assert visible - {"TYPE_CHECKING", "Any", "import_module"} == set(vx.__all__)
    assert dir(vx) == vx.__all__
    with pytest.raises(AttributeError, match="forecastle"):
        vx.forecastle  # noqa: B018


@pytest.mark.parametrize("start", ["import veridex", "import veridex.cli.entry"])
def test_import_loads_nothing_heavy(start):
    code = f"import sys, json; {start}; print(json.dumps([m for m in {HEAVY!r} if m in sys.modules]))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert json.loads(done.stdout) == []


FACTS = {
    "file": "a.csv",
    "source": "a.csv",
    "column": "skuu",
    "role": "item",
    "present": ("sku", "day", "smoker-01"),
    "row": 3,
    "value": "soon",
    "wanted": "date",
    "count": 2,
    "remedy": "Write dates.",
    "word": "monthy",
    "known": ("monthly", "daily"),
    "item": "smoker",
    "also": (),
    "faults": (("test.origins", "write a whole number"),),
}
"""What the facts of an error may be; a fact that is not listed is a text, or a number where it counts."""


def families(base=errors.VeridexError):
    return [base, *(one for child in base.__subclasses__() for one in families(child))]


def example(kind):
    given = {f.name: FACTS.get(f.name, 3 if f.type in (int, "int") else f"the {f.name}") for f in fields(kind)}
    return kind(**given)


ERRORS = [kind for kind in families() if is_dataclass(kind) and kind.__module__.startswith("veridex.errors")]


def test_the_family_has_branches_and_all_are_public():
    assert {kind.__name__ for kind in families() if kind.__module__.startswith("veridex.errors")} == set(errors.__all__)
    assert vx.errors is errors and len(ERRORS) > 15
    for kind in ERRORS:
        assert issubclass(kind, (errors.InputError, errors.OurFault)) and kind.__bases__[0] is not errors.InputError


@pytest.mark.parametrize("kind", ERRORS, ids=lambda kind: kind.__name__)
def test_errors_read_well_and_travel(kind):
    error = example(kind)
    again = pickle.loads(pickle.dumps(error))
    assert (type(again), str(again)) == (type(error), str(error)) and vars(again) == vars(error)
    assert str(error)[-1] in ".?" and "(" not in str(error)[:1] and "{" not in str(error)


def test_errors_offer_the_next_step():
    assert "Did you mean 'sku'? Say which column holds the item." in str(example(errors.ColumnMissing))
    said = str(errors.CellUnreadable("a.csv", "day", 3, "soon", "date", 2, "Write dates."))
    assert said == "a.csv, row 3, column 'day': 'soon' is no date (2 such cells in all). Write dates."
    assert "Did you mean 'monthly'?" in str(example(errors.CadenceUnknown))
    assert "Did you mean 'smoker-01'?" in str(errors.ItemUnknown("smoker", ("smoker-01",)))


def test_results_have_a_face_in_notebooks(orders, trial, verdict, publication):
    smoker = orders["smoker-01"]
    fitted = vx.fit(smoker, "arima p=1 D=1 Q=1")
    scheme = vx.RollingOrigin(horizon=2, origins=3)
    faces = {
        "extractor": [orders, vx.tidy(orders), trial, verdict, vx.decompose(orders)],
        "extractor-bearing": [publication],
        "AR lag 1": [fitted, vx.compare_fits(smoker, ["arima p=1", "naive"])],
        "std_error": [fitted.forecast(3), vx.tune(smoker, "moving-average", {"window": [2, 3]}, scheme)],
        "unit root": [vx.stationarity(smoker)],
        "season_12": [vx.decompose(smoker)],
        "smoker-01": [vx.differencing(smoker), vx.correlogram(smoker), vx.seasons(smoker), fitted.audit()],
    }
    for told, results in faces.items():
        for one in results:
            shown = one._repr_html_()
            assert shown.startswith("<div") and (told in shown or isinstance(one, (vx.Trial, vx.Tidied, vx.Comparison)))
    assert "&lt;b&gt;" in vx.fit(monthly([1.0, 2], item="<b>"), "drift")._repr_html_()
    assert "rows more" in vx.fit(smoker, "mean").forecast(40)._repr_html_()


def test_views_are_deliberate_and_load_when_they_are_called():
    from veridex import figures

    assert figures.__all__ == sorted(figures._HOMES) == sorted(dir(figures))
    for name in figures.__all__:
        shown = getattr(figures, name)
        assert callable(shown) and (shown.__doc__ or "").strip(), name
    with pytest.raises(AttributeError, match="no attribute 'pie'"):
        getattr(figures, "pie")  # noqa: B009
    code = "import sys, veridex.cli.publishing, veridex.cli.looking; sys.exit('matplotlib' in sys.modules)"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0
