"""What `veridex` shows to the world: names, cost of import, errors."""

import json
import pickle
import subprocess
import sys
from types import ModuleType

import pytest

import veridex as vx
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


@pytest.mark.parametrize("start", ["import veridex", "import veridex.cli.main"])
def test_import_loads_nothing_heavy(start):
    code = f"import sys, json; {start}; print(json.dumps([m for m in {HEAVY!r} if m in sys.modules]))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert json.loads(done.stdout) == []


EXAMPLES = [
    errors.FileUnreadable("a.csv", "there is no such file"),
    errors.ColumnMissing("a.csv", "skuu", "item", ("sku", "day")),
    errors.CellUnreadable("a.csv", "day", 3, "soon", "date", 2, "Write dates."),
    errors.CadenceUnknown("monthy", ("monthly", "daily")),
    errors.ItemUnknown("smoker", ("smoker-01",)),
    errors.HistoryTooShort("smoker-01", 3, 14, "the backtest", "Shorten the horizon."),
    errors.MethodUnknown("holt", ("holt-winters",)),
    errors.SettingError("arima", "p must be a whole number"),
    errors.ParameterError("horizon", "0", "publish at least one period"),
    errors.DestinationRefused("out", "this is a file", "Name a directory."),
    errors.PublicationUnreadable("out", "it is empty"),
]


@pytest.mark.parametrize("error", EXAMPLES, ids=lambda error: type(error).__name__)
def test_errors_are_ours_read_well_and_travel(error):
    assert isinstance(error, vx.VeridexError)
    again = pickle.loads(pickle.dumps(error))
    assert (type(again), str(again)) == (type(error), str(error))
    assert str(error)[-1] in ".?" and "(" not in str(error)[:1]


def test_errors_offer_the_next_step():
    text = [str(error) for error in EXAMPLES]
    assert "Did you mean 'sku'? Say which column holds the item." in text[1]
    assert "a.csv, row 3, column 'day': 'soon' is no date (2 such cells in all). Write dates." in text[2]
    assert "Did you mean 'monthly'?" in text[3] and "Did you mean 'smoker-01'?" in text[4]
