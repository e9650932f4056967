"""Run the parts that are named, or all; print their tables in the form docs/verification.md keeps them.

`make verify` disturbs writers and readers a few times each, `--whole` as often as the figures there say.
"""

import sys
import time
from collections.abc import Callable

from verification import (
    accuracy,
    alike,
    arima,
    campaigns,
    censored,
    constants,
    control,
    differencing,
    fuzz,
    intermittent,
    intervals,
    kills,
    known_then,
    likelihood,
    outliers,
    places,
    quantiles,
    regression,
    reproducing,
    sample,
    seasons,
    starts,
    unit_roots,
    verdicts,
    watching,
)
from verification.hostile import crowded, disks, environments, families, files, jobs, names, pictures, tampered, words

PARTS: dict[str, Callable[..., int | None]] = {
    "unit-roots": unit_roots.main,
    "likelihood": likelihood.main,
    "starts": starts.main,
    "intervals": intervals.main,
    "intermittent": intermittent.main,
    "outliers": outliers.main,
    "differencing": differencing.main,
    "fuzz": fuzz.main,
    "arima": arima.main,
    "regression": regression.main,
    "seasons": seasons.main,
    "censored": censored.main,
    "accuracy": accuracy.main,
    "verdicts": verdicts.main,
    "quantiles": quantiles.main,
    "known-then": known_then.main,
    "constants": constants.main,
    "kills": kills.main,
    "places": places.main,
    "places-of-others": places.more,
    "control": control.main,
    "watching": watching.main,
    "reproducing": reproducing.main,
    "campaigns": campaigns.main,
    "sample": sample.main,
    "alike": alike.main,
    "hostile-families": families.main,
    "hostile-jobs": jobs.main,
    "hostile-files": files.main,
    "hostile-environments": environments.main,
    "hostile-names": names.main,
    "hostile-crowded": crowded.main,
    "hostile-disks": disks.main,
    "hostile-tampered": tampered.main,
    "hostile-words": words.main,
    "hostile-pictures": pictures.main,
}


WHOLE = {
    "kills": 100,
    "places": 100,
    "places-of-others": 100,
    "hostile-crowded": 60,
    "hostile-disks": 100,
    "hostile-tampered": 1000,
    "hostile-jobs": 1000,
    "hostile-files": 1000,
    "hostile-families": 5000,
    "hostile-words": 1000,
    "hostile-pictures": 1000,
}
"""How often a part disturbs what it looks at when all of it is asked for, with --whole."""


def main() -> None:
    chosen = [word for word in sys.argv[1:] if word != "--whole"] or list(PARTS)
    unknown = [name for name in chosen if name not in PARTS]
    if unknown:
        sys.exit(f"unknown part {unknown[0]!r}: the parts are {', '.join(PARTS)}")
    for name in chosen:
        begun = time.perf_counter()
        print(f"\n## {name}\n", flush=True)
        often = (WHOLE[name],) if "--whole" in sys.argv and name in WHOLE else ()
        wrong = PARTS[name](*often)
        print(f"\n{time.perf_counter() - begun:.0f} s", flush=True)
        if wrong:
            sys.exit(f"{name}: {wrong} broken")


if __name__ == "__main__":
    main()
