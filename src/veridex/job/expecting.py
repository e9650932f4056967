"""What would have come: tested, decided and forecast from what came before a span, to be held against it."""

from dataclasses import replace

from veridex.core.backtest.engine import Engine
from veridex.core.history.history import History
from veridex.core.preparation.regressors import Explanation
from veridex.job.desk import Desk
from veridex.job.pipeline import Asked, Outcome, published
from veridex.job.requests import Deciding, Publishing, Testing
from veridex.job.testing import backtested

__all__ = ["expected"]


def expected(
    before: History,
    own: History,
    steps: int,
    level: float,
    testing: Testing,
    explaining: Explanation,
    desk: Desk,
    engine: Engine | None,
    groups: tuple[str, ...] = (),
) -> Outcome:
    """Test all items on what came before, and publish some of them so many periods ahead with one level."""
    testing = replace(testing, horizon=steps, levels=(level,))
    wanted = Asked(
        publishing=Publishing(horizon=str(steps), levels=(level,), past="0", groups=groups),
        deciding=Deciding(),
        testing=testing,
        explaining=explaining,
    )
    return published(own, wanted, backtested(before, testing, explaining, desk, engine=engine), desk)
