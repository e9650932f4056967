"""Runs of a plan: nothing is done twice, nothing is lost, what came is watched, changes have their reasons."""

import json
import shutil
import socket
import ssl
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, HTTPServer

import numpy as np
import pandas as pd
import pytest
import trustme
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

import veridex as vx
from conftest import inside
from veridex.core.verdict.keeping import Before, kept_until_worse
from veridex.plan.journal import Journal
from veridex.plan.schedule import schedule

PLAN = """plan = 1
[history]
file = "demand.csv"
item = "sku"
period = "month"
demand = "units"
cadence = "monthly"
stock_out = "out_of_stock"
[tidy]
gaps = "interpolate"
[test]
methods = ["seasonal-naive", "theta", "simple-smoothing", "smoothing"]
scheme = "rolling horizon=3 origins=8 anchor=12"
[publish]
horizon = 3
to = ["published", "copy"]
"""
ITEMS = ("smoker-01", "suit-ventilated", "jar-honey-500", "hive-national")


@pytest.fixture
def job(tmp_path, data):
    """A plan with the demand of four items up to June, and how to add months to it."""
    table = pd.read_csv(data / "demand.csv", dtype=str, keep_default_na=False)
    table = table[table["sku"].isin(ITEMS)]
    (tmp_path / "plan.toml").write_text(PLAN)

    def until(month, **changed):
        known = table[table["month"] <= month].copy()
        for item, units in changed.items():
            known.loc[(known["sku"] == item.replace("_", "-")) & (known["month"] == month), "units"] = str(units)
        known.to_csv(tmp_path / "demand.csv", index=False)

    until("2025-06")
    return tmp_path, until


def run(place, *words):
    return inside("run", "plan.toml", *words, cwd=place)


def lines(place):
    return Journal(place / "plan.toml", place / "plan.kept").lines()


def contents(place):
    return {path.name: path.read_bytes() for path in sorted(place.iterdir())}


def test_a_run_publishes_once_and_goes_on_when_a_month_has_come(job, tmp_path):
    place, until = job
    first = run(place)
    assert first.returncode == 0 and "4 items published" in first.stdout, first.stderr
    published = contents(place / "published")
    assert published == contents(place / "copy") and published.keys() >= {"manifest.json", "publication.csv"}
    again = run(place)
    assert (
        again.returncode == 0 and "nothing has changed" in again.stdout and contents(place / "published") == published
    )
    shutil.rmtree(place / "copy")  # a place that lost its publication gets it again
    copied = run(place)
    assert "Written to copy, from published" in copied.stderr and contents(place / "copy") == published
    until("2025-07", smoker_01=900)
    moved = vx.run_plan(place / "plan.toml")
    assert (moved.outcome, moved.code) == ("alerts", 3)
    assert moved.watch.alerts["item"].tolist()[:1] == ["smoker-01"] and moved.watch.alerts["outside"].iloc[0] == "above"
    assert "smoker-01 2025-07: 900, forecast" in "\n".join(moved.lines())
    fresh = vx.backtest(moved.history, moved.trial.lineup[:4], moved.trial.scheme)  # without what was kept
    for name in ("points", "laws", "transforms", "scales", "status", "forms", "training"):
        for one in fresh:
            np.testing.assert_array_equal(getattr(one, name), getattr(moved.trial[one.item], name))
    assert [line["outcome"] for line in lines(place)] == ["done", "unchanged", "unchanged", "alerts"]
    assert {line["key"] for line in lines(place)[:3]} == {lines(place)[0]["key"]} and lines(place)[3]["alerts"] >= 1
    assert {path.name for path in place.iterdir()} == {"plan.toml", "plan.kept", "demand.csv", "published", "copy"}
    assert len(list((place / "plan.kept" / "tests").glob("*.trials"))) <= 2
    assert vx.read_trial(place / "plan.kept" / "tests").standings().equals(moved.trial.standings())


def test_parts_of_a_run(job):
    place, until = job
    early = run(place, "--only", "publish")
    assert early.returncode == 2 and "4 items were not tested as data and plan are now" in early.stderr
    assert lines(place)[0]["outcome"] == "failed" and not (place / "published").exists()
    tested = run(place, "--only", "test")
    assert tested.returncode == 0 and "4 items tested" in tested.stdout and not (place / "published").exists()
    assert run(place, "--only", "publish").returncode == 0
    until("2025-08")
    watched = run(place, "--only", "watch")
    assert watched.returncode in (0, 3) and "actuals lie outside their 95 % interval; about 0 would" in watched.stdout
    late = run(place, "--only", "publish")
    assert late.returncode == 2 and "Run it whole, or with --only test first." in late.stderr


def test_a_watch_at_another_level_than_asked_is_said(job):
    place, until = job
    assert run(place).returncode == 0
    (place / "plan.toml").write_text(PLAN + "levels = [80, 90]\n[watch]\nlevel = 90\n")
    until("2025-07")
    assert "The publication has no 90 % interval: watched at 95 %." in run(place, "--only", "watch").stderr


def test_a_plan_says_what_a_unit_is_worth_and_what_happened(job):
    place, until = job
    (place / "prices.csv").write_text("item,price\nhive-national,90\nsmoker-01,1\njar-honey-500,1\n")
    watching = '[watch]\nprices = "prices.csv"\nfalse_alerts = 0.1\n'
    (place / "plan.toml").write_text(PLAN + watching)
    assert run(place).returncode == 0
    until("2025-07", smoker_01=900, hive_national=190)
    moved = run(place, "--only", "watch")
    assert moved.returncode == 3 and "smoker-01 2025-07: 900" in moved.stdout
    assert "outlier or shift" in moved.stdout and "chance brings at most 0.1 a period" in moved.stdout
    watch = vx.run_plan(place / "plan.toml", only="watch").watch
    costs = watch.items.set_index("item")["cost"]
    own = watch.frame.set_index("item").loc["hive-national"]
    assert watch.priced and costs["hive-national"] == pytest.approx(90 * abs(own["error"]))
    assert np.isnan(costs["suit-ventilated"]) and watch.items["item"].iloc[0] == costs.idxmax()
    (place / "prices.csv").unlink()
    gone = run(place)
    assert gone.returncode == 2 and "watch.prices" in gone.stderr


def test_a_run_as_of_a_day_is_what_it_would_have_been(job):
    place, until = job
    until("2025-08")
    for _ in range(2):
        assert run(place, "--as-of", "2025-05-20").returncode == 0
    publication = vx.read_publication(place / "published")
    assert publication.head.demand.last == "2025-04" and publication.head.made.at == "2025-05-20T00:00:00+00:00"
    kept = contents(place / "published")
    shutil.rmtree(place / "plan.kept"), shutil.rmtree(place / "published")
    assert run(place, "--as-of", "2025-05-20").returncode == 0 and contents(place / "published") == kept


def test_a_second_run_waits_for_nobody_and_a_journal_bears_a_torn_line(job):
    place, _ = job
    journal = Journal(place / "plan.toml", place / "plan.kept")
    with journal.locked():
        busy = run(place)
    assert busy.returncode == 2 and "another run of this plan is at work" in busy.stderr
    (place / "plan.kept" / "journal.jsonl").write_text('{"at": "2025')
    journal.add({"outcome": "done"})
    assert journal.lines() == [{"outcome": "done"}]
    broken = (place / "demand.csv").read_text().replace("month", "moon", 1)
    (place / "demand.csv").write_text(broken)
    failed = run(place)
    assert (
        failed.returncode == 2 and "has no column 'month'" in failed.stderr and lines(place)[-1]["outcome"] == "failed"
    )


def test_a_method_is_kept_until_it_is_worse(orders, trial):
    verdict = vx.decide(trial)
    item = "smoker-01"
    now, route = verdict.choice(item).winner.method, verdict.choice(item).route
    near = verdict.choice(item).best_single.method
    kept = kept_until_worse(verdict, {item: Before(near, route)}).choice(item)
    losses = trial.scores(by=["item", "method"]).set_index(["item", "method"])["mase"][item]
    worst = trial.lineup[trial.method_index(losses.idxmax())]
    gone = kept_until_worse(verdict, {item: Before(worst, route)}).choice(item)
    assert gone.winner.method == now and not gone.kept.stays
    assert "lost to the benchmark" in gone.kept.because or "more than one standard error" in gone.kept.because
    assert kept.winner.method == near and kept.kept.stays and "within one standard error" in kept.kept.because
    assert kept.claim == verdict.choice(item).claim  # what is said stays that of deciding anew
    other = kept_until_worse(verdict, {item: Before(near, "intermittent")}).choice(item)
    assert other.winner.method == now and "is taken for regular, not intermittent" in other.kept.because
    published = vx.publish(orders, kept_until_worse(verdict, {item: Before(near, route)}), horizon=3)
    assert published[item].decided == near and "kept from the last publication" in published[item].why


def test_changes_are_listed_with_their_reason(job):
    place, until = job
    text = PLAN + '[decide]\nkeep = "until worse"\nrule = "single"\n'
    (place / "plan.toml").write_text(text)
    assert run(place).returncode == 0
    (place / "plan.toml").write_text(text.replace('"theta", ', "").replace('"smoothing"', '"mean"'))
    until("2025-07")
    moved = vx.run_plan(place / "plan.toml")
    assert moved.changes and all(one.reason for one in moved.changes)
    assert any("no origin can test it beside" in one.reason for one in moved.changes if one.status == "changed")
    assert f"{moved.changes[0].item}: {moved.changes[0].before} -> {moved.changes[0].now}" in "\n".join(moved.lines())


@contextmanager
def webhook(code=200):
    """An address that keeps what is posted to it."""
    got = []

    class Stand(BaseHTTPRequestHandler):
        def do_POST(self):
            got.append(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
            self.send_response(code)
            self.end_headers()

        def log_message(self, *_):
            pass

    server = HTTPServer(("127.0.0.1", 0), Stand)
    thread = threading.Thread(target=server.serve_forever)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_port}/T0k3n", got
    finally:
        server.shutdown()
        thread.join()
        server.server_close()


def test_a_webhook_is_told_and_its_failure_undoes_nothing(job, monkeypatch):
    place, until = job
    told = '[tell]\non = ["done", "failed", "alerts"]\nwebhook = "$LARK_HOOK"\n'
    (place / "plan.toml").write_text(PLAN + 'figures = "drawn"\n' + told)
    with webhook() as (address, got):
        monkeypatch.setenv("LARK_HOOK", address)
        assert run(place).returncode == 0
        until("2025-07", smoker_01=900)
        assert run(place).returncode == 3
        (place / "demand.csv").rename(place / "away.csv")
        (place / "demand.csv").write_text("sku,month\n")
        assert run(place).returncode == 2
    assert [one["moment"] for one in got] == ["done", "alerts", "failed"]
    assert (place / "drawn" / "smoker-01-forecast.png").exists() and (place / "drawn" / "coverage.png").exists()
    assert got[0]["subject"] == "plan.toml: 4 items published" and got[0]["published"] == 4
    assert got[1]["watch"][0]["item"] == "smoker-01" and "smoker-01 2025-07: 900" in got[1]["summary"]
    assert "What was published before stands as it was." in got[2]["summary"]
    (place / "away.csv").rename(place / "demand.csv")
    until("2025-08")
    with webhook(500) as (address, _):
        monkeypatch.setenv("LARK_HOOK", address)
        done = run(place)
    assert done.returncode == 2 and "tell.webhook: the address in $LARK_HOOK answered 500" in done.stderr
    assert vx.read_publication(place / "published").head.demand.last == "2025-08"
    everything = done.stdout + done.stderr + (place / "plan.kept" / "journal.jsonl").read_text()
    assert "T0k3n" not in everything + (place / "published" / "manifest.json").read_text()


def test_what_a_killed_run_published_is_told_by_the_next(job, monkeypatch):
    place, _ = job
    (place / "plan.toml").write_text(PLAN + '[tell]\nwebhook = "$LARK_HOOK"\n')
    with webhook() as (address, got):
        monkeypatch.setenv("LARK_HOOK", address)
        assert run(place).returncode == 0
        left = {"key": lines(place)[0]["key"], "moment": "done", "subject": "s", "text": "t", "facts": {"at": "then"}}
        journal = Journal(place / "plan.toml", place / "plan.kept")
        journal.promise(left)
        assert "it is told now" in run(place).stderr
        journal.promise(left | {"key": "never published"})
        assert "it is told now" not in run(place).stderr and journal.promised() is None
    assert [one["subject"] for one in got] == ["plan.toml: 4 items published", "s"]
    assert "stopped after it had published" in got[1]["summary"] and lines(place)[1] == {"at": "then", "late": True}


class Box:
    """A mailbox."""

    def __init__(self):
        self.got = []

    async def handle_DATA(self, server, session, envelope):  # noqa: N802, the server calls it so
        self.got.append(envelope.content.decode())
        return "250 OK"


class Knocked(Controller):
    """A mail server that is found to be there by a bare connection, whatever it speaks."""

    def _trigger_server(self):
        socket.create_connection((self.hostname, self.port)).close()


@pytest.mark.parametrize("security", ["starttls", "tls"])
def test_mail_goes_over_a_connection_that_is_safe(job, monkeypatch, security):
    place, until = job
    authority, box = trustme.CA(), Box()
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    authority.issue_cert("127.0.0.1").configure_cert(context)
    known = lambda *given: AuthResult(success=given[4].password == b"honey", handled=False)  # noqa: E731
    how = {"ssl_context": context} if security == "tls" else {"tls_context": context, "require_starttls": True}
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    how |= {"authenticator": known, "auth_require_tls": security != "tls"}
    server = Knocked(box, hostname="127.0.0.1", port=port, **how)
    server.start()
    authority.cert_pem.write_to_path(place.parent / "ca.pem")
    words = '[tell]\nmail_to = ["planner@larkmoor.example"]\nmail_from = "veridex@larkmoor.example"\n'
    words += f'mail_server = "127.0.0.1:{port}"\n'
    words += f'mail_security = "{security}"\nmail_user = "$LARK_USER"\nmail_password = "$LARK_PASSWORD"\n'
    (place / "plan.toml").write_text(PLAN + words)
    try:
        monkeypatch.setenv("LARK_USER", "veridex")
        monkeypatch.setenv("LARK_PASSWORD", "honey")
        unknown = run(place)
        assert unknown.returncode == 2 and "has no certificate that is trusted here" in unknown.stderr
        monkeypatch.setenv("SSL_CERT_FILE", str(place.parent / "ca.pem"))
        until("2025-07")
        assert run(place).returncode in (0, 3)
        monkeypatch.setenv("LARK_PASSWORD", "wax")
        until("2025-08")
        refused = run(place)
    finally:
        server.stop()
    assert len(box.got) == 1 and "Subject: plan.toml: 4 items published" in box.got[0]
    assert refused.returncode == 2 and "does not know the user and the password in $LARK_USER" in refused.stderr
    assert "honey" not in refused.stderr + (place / "plan.kept" / "journal.jsonl").read_text()


@pytest.mark.parametrize(
    ("when", "cron", "calendar"),
    [
        ("monday 06:00", "0 6 * * 1 cd ", "OnCalendar=Mon *-*-* 06:00:00"),
        ("sunday 23:05", "5 23 * * 0 cd ", "OnCalendar=Sun *-*-* 23:05:00"),
        ("daily 05:30", "30 5 * * * cd ", "OnCalendar=*-*-* 05:30:00"),
        ("workdays 7:00", "0 7 * * 1-5 cd ", "OnCalendar=Mon..Fri *-*-* 07:00:00"),
        ("monthly 3 06:00", "0 6 3 * * cd ", "OnCalendar=*-*-03 06:00:00"),
    ],
)
def test_how_to_schedule_a_plan_is_printed_and_nothing_is_installed(job, when, cron, calendar):
    place, _ = job
    done = run(place, "--schedule", when)
    assert done.returncode == 0 and f"\n{cron}" in done.stdout and calendar in done.stdout
    assert f"{place / 'plan.toml'}" in done.stdout and not (place / "plan.kept").exists()
    for wrong, said in (("mondy 06:00", "Did you mean 'monday'?"), ("monday 25:00", "write a day and a time"),
                        ("monthly 31 06:00", "1 to 28"), ("monthly 06:00", "is the third of each month")):  # fmt: skip
        with pytest.raises(vx.errors.ParameterError, match=said.replace("?", r"\?")):
            schedule(wrong, place / "plan.toml", place)
