"""What can be asked of the job: each request a frozen value whose fields carry their help.

The options of the command line and the keys of a plan file are derived from them. Fields hold what was said in words;
the job turns words into values. Several values are tuples here, separated by commas on the command line or stated one
by one.
"""

from veridex.job.requests.boarding import Boarding
from veridex.job.requests.diagnosing import Applying, Diagnosing, Fitting, Looking
from veridex.job.requests.placing import Placing, Planning, Running, Telling
from veridex.job.requests.publishing import Deciding, Overrule, Publishing
from veridex.job.requests.reading import Driving, Happening, Reading, Ruling, Tidying
from veridex.job.requests.testing import Scoring, Testing, Tuning
from veridex.job.requests.watching import Campaigning, Controlling, Published, Tracking, Watching

__all__ = [
    "Applying",
    "Boarding",
    "Campaigning",
    "Controlling",
    "Deciding",
    "Diagnosing",
    "Driving",
    "Fitting",
    "Happening",
    "Looking",
    "Overrule",
    "Placing",
    "Planning",
    "Published",
    "Publishing",
    "Reading",
    "Ruling",
    "Running",
    "Scoring",
    "Telling",
    "Testing",
    "Tidying",
    "Tracking",
    "Tuning",
    "Watching",
]
