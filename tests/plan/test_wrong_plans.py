"""Plans that are misspelt, of the wrong type, contradicting, without their files or with secrets: one message each."""

import pytest

from conftest import inside

HISTORY = '[history]\nfile = "demand.csv"\nitem = "sku"\nperiod = "month"\ndemand = "units"\n'
MAIL = '[tell]\nmail_to = "planner@larkmoor.example"\nmail_from = "veridex@larkmoor.example"\n'
PUBLISH = '[publish]\nto = "published"\n'

WRONG = [
    # misspelt
    ("[histroy]\n" + HISTORY[10:], "histroy: there is no such section", "Did you mean 'history'?"),
    (HISTORY + 'cadense = "monthly"\n', "history.cadense: there is no such key", "Did you mean 'cadence'?"),
    (HISTORY + 'cadence = "monthy"\n', "history.cadence: unknown cadence 'monthy'", "Did you mean 'monthly'?"),
    (HISTORY + '[tidy]\ngaps = "interpolat"\n', "tidy.gaps: 'interpolat' is none of", "Did you mean 'interpolate'?"),
    (HISTORY + '[tidy]\noutlier = "flag"\n', "tidy.outlier: there is no such key", "Did you mean 'outliers'?"),
    (HISTORY + '[test]\nmethods = ["naive", "thetta"]\n', "test.methods[2]: unknown method 'thetta'", "'theta'?"),
    (HISTORY + '[test]\nmethods = ["holt alfa=0.2"]\n', "test.methods: method 'holt': unknown setting 'alfa'", "alpha"),
    (HISTORY + '[test]\nscheme = "roling horizon=12"\n', "test.scheme: 'roling horizon=12'", "Did you mean 'rolling'?"),
    (HISTORY + '[test]\nscheme = "rolling origin=12"\n', "test.scheme: method 'rolling': unknown setting", "'origins'?"),
    (HISTORY + '[test]\nengine = "process"\n', "test.engine: 'process': the engines are", "Did you mean 'processes'?"),
    (HISTORY + '[decide]\nrule = "blent"\n', "decide.rule: 'blent' is none of", "Did you mean 'blend'?"),
    (HISTORY + '[decide]\nkeep = "until worst"\n', "decide.keep: 'until worst'", "Did you mean 'until worse'?"),
    (HISTORY + '[decide]\ntarget = "wapa under 15"\n', "decide.target: unknown measure 'wapa'", "'wape'?"),
    (HISTORY + '[publish]\nhorizen = 12\n', "publish.horizen: there is no such key", "Did you mean 'horizon'?"),
    (HISTORY + '[publish]\nmethod = "ses"\n', "publish.method: unknown method 'ses'", "`simple-smoothing`"),
    (HISTORY + '[tell]\non = ["alert"]\nwebhook = "$HOOK"\n', "tell.on[1]: 'alert' is none of", "'alerts'?"),
    (HISTORY + '[[decide.override]]\nitem = "a"\nmethod = "thet"\nreason = "b"\n', "decide.override: unknown", "'theta'?"),
    # of the wrong type or size
    (HISTORY + '[test]\norigins = "many"\n', "test.origins: 'many': write a whole number", ""),
    (HISTORY + "[test]\norigins = 2.5\n", "test.origins: 2.5: write a whole number", ""),
    (HISTORY + "[test]\norigins = 0\n", "test.origins: 0: it is at least 1", ""),
    (HISTORY + "[test]\ngap = -1\n", "test.gap: -1: it is at least 0", ""),
    (HISTORY + '[publish]\nlevels = ["high"]\n', "publish.levels[1]: 'high': write a number", ""),
    (HISTORY + "[publish]\nlevels = [0.95]\n", "publish.levels: 0.95", "did you mean 95?"),
    (HISTORY + "[publish]\nhorizon = 0\n", "publish.horizon: 0: it is at least 1", ""),
    (HISTORY + "[publish]\ntotals_from = 0\n", "publish.totals_from: 0: lead times count from 1", ""),
    (HISTORY + "keep_unfinished = 1\n", "history.keep_unfinished: 1: write true or false", ""),
    (HISTORY + '[tidy]\nunfinished = "soon"\n', "tidy.unfinished: 'soon': it is 'drop', 'keep'", ""),
    (HISTORY + "[decide]\nbias_limit = -5\n", "decide.bias_limit: -5: it is percent of demand", ""),
    (HISTORY + "[decide]\nlead_times = [0]\n", "decide.lead_times: 0: lead times count from 1", ""),
    (HISTORY + "[decide]\ncoverage_floor = [95]\n", "decide.coverage_floor: write a level", ""),
    (HISTORY + '[test]\nengine = "spark"\n', "test.engine: 'spark': the engines are 'serial', 'processes', 'dask'", ""),
    (HISTORY + '[watch]\nprices = "nowhere.csv"\n', "watch.prices: there is no file nowhere.csv", ""),
    (HISTORY + "[watch]\ntolerance = 0\n", "watch.tolerance: 0: it is percent", ""),
    (HISTORY + "[watch]\nfalse_alerts = 0\n", "watch.false_alerts: 0: it is a number of alerts", ""),
    (HISTORY + "[watch]\nfalse_alerts = 1\ntolerance = 5\n", "watch.false_alerts: a tolerance is stated", ""),
    (HISTORY + '[test]\nmethods = [{ p = 1 }]\n', "test.methods: a table names what it means", "use"),
    ("history = 3\n", "history: it is a section; write [history]", ""),
    (HISTORY + '[[decide.override]]\nitem = "smoker-01"\nmethod = "theta"\n', "decide.override: an override has", "lacks its reason"),
    # contradicting
    (HISTORY + '[publish]\nmethod = "theta"\n[decide]\nrule = "single"\n', "decide: publish.method is your own choice", ""),
    (HISTORY + '[publish]\nmethod = "theta"\nintervals = "calibrated"\n', "publish.intervals: calibrated takes", ""),
    (HISTORY + '[publish]\nmethod = ["theta", "naive"]\n', "publish.method: one method is published", ""),
    (HISTORY + '[test]\nmethods = "naive"\n[decide]\nallowed = "theta"\n', "decide.allowed: theta is none of test", ""),
    (HISTORY + "[publish]\nlevels = 80\n[watch]\nlevel = 95\n", "watch.level: 95: it is none of publish.levels (80)", ""),
    (HISTORY + "[decide]\ncoverage_floor = [90, 85]\n", "decide.coverage_floor: 90: it is none of publish.levels", ""),
    (HISTORY + '[drivers]\nknown_ahead = "price"\n', "drivers.known_ahead: it names drivers", ""),
    (HISTORY + 'as_of = "2025-09-01"\n', "history.as_of: it says from when", ""),
    (HISTORY + '[test]\nscheme = "rolling horizon=12 stride=5 anchor=12"\n', "test.scheme: 12: it is a multiple", ""),
    (HISTORY + MAIL, "tell.mail_server: mail_to needs it", ""),
    (HISTORY + '[tell]\non = "done"\n', "tell: nobody is named; state webhook or mail_to", ""),
    # without their files
    (HISTORY.replace("demand.csv", "demnad.csv"), "history.file: there is no file demnad.csv", "Did you mean 'demand.csv'?"),
    (HISTORY + '[events]\nfile = "fairs.csv"\n', "events.file: there is no file fairs.csv", ""),
    (HISTORY + '[drivers]\nfiles = "weather.csv:temp"\n', "drivers.files: there is no file weather.csv", ""),
    (HISTORY + 'successors = "new.csv"\n', "history.successors: there is no file new.csv", ""),
    # with secrets, or without those they name
    (HISTORY + '[tell]\nwebhook = "https://hooks.larkmoor.example/T0k3n"\n', "tell.webhook: it is secret", '"$NAME"'),
    (HISTORY + MAIL + 'mail_server = "mail.example:587"\nmail_user = "$U"\nmail_password = "honey"\n', "tell.mail_password: it is secret", ""),
    (HISTORY.replace("demand.csv", "postgresql://lark:honey@db/shop"), "history.file: it holds a password", ""),
    (HISTORY.replace("demand.csv", "$LARKMOOR_NOWHERE"), "history.file: the environment has no LARKMOOR_NOWHERE", ""),
    (HISTORY + PUBLISH + '[tell]\nwebhook = "$LARKMOOR_NOWHERE"\n', "tell.webhook: the environment has no LARKMOOR_NOWHERE", ""),
    # of the whole
    (None, "plan: the version of the form is missing", "plan = 1"),
    ("plan = 2\n", "plan: this plan is of version 2", "reads version 1"),
    (HISTORY + "[test\n", "it is no TOML", "line 7"),
    (HISTORY, "publish.to: it is missing; say where", ""),
    (HISTORY + '[publish]\nto = "plan.toml"\n', "this is a file", ""),
]  # fmt: skip


@pytest.mark.parametrize(("text", "path", "meant"), WRONG, ids=[path[:48] for _, path, _ in WRONG])
def test_a_wrong_plan_is_one_message_with_the_path_of_the_fault(text, path, meant, tmp_path):
    (tmp_path / "demand.csv").write_text("sku,month,units\nsmoker-01,2024-01,3\nsmoker-01,2024-02,4\n")
    head = "" if text is None or text.startswith("plan =") else "plan = 1\n"
    (tmp_path / "plan.toml").write_text(head + (HISTORY if text is None else text))
    done = inside("run", "plan.toml", cwd=tmp_path)
    assert done.returncode == 2 and done.stdout == "" and "Traceback" not in done.stderr
    assert path in done.stderr and meant in done.stderr, done.stderr
    assert "honey" not in done.stderr and "T0k3n" not in done.stderr
    assert not (tmp_path / "published").exists()


def test_every_fault_is_reported_at_once(tmp_path):
    (tmp_path / "plan.toml").write_text(
        'plan = 1\n[histry]\nfile = 3\n[test]\norigins = "x"\nstrid = 2\n[tidy]\ngaps = 1\n'
    )
    said = inside("fit", "plan.toml", "--method", "naive", cwd=tmp_path).stderr
    assert "plan.toml has 5 faults:" in said
    for path in ("histry: ", "history: the section is missing", "test.origins: ", "test.strid: ", "tidy.gaps: "):
        assert path in said
