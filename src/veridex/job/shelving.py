"""Where what is published is put while it is made."""

from collections.abc import Iterator
from dataclasses import replace

from veridex.core.backtest.folds import digest_of
from veridex.core.methods.catalogue import Method
from veridex.core.publication.edition import Edition
from veridex.core.publication.head import Head
from veridex.core.publication.manifest import head_entry
from veridex.core.publication.shelf import MemoryShelf, Opened, Shelf
from veridex.core.verdict.verdict import Verdict
from veridex.exchange.forms.shelves import SpooledShelf
from veridex.exchange.homes import PUBLISHED, room_beside
from veridex.exchange.kept import line_of
from veridex.exchange.trial_directories import DirectoryStore
from veridex.job.engines import IN_MEMORY

__all__ = ["on_disk", "shelf_for"]


def shelf_for(items: int, source: Verdict | Method, asked: Edition) -> Opened:
    """In memory for few items; on disk from so many on that memory is no place for them."""
    return on_disk(source, asked) if items > IN_MEMORY else MemoryShelf


def on_disk(source: Verdict | Method, asked: Edition) -> Opened:
    """On disk: beside the trial, where it is in a directory, so that a publication that was killed goes on."""
    if not isinstance(source, Verdict) or source.choices.key is None:
        return SpooledShelf
    store = source.trial.store
    if not isinstance(store, DirectoryStore) or store.home is not None:
        return SpooledShelf

    def opened(head: Head) -> Shelf:
        return SpooledShelf(head, room_beside(store.directory, PUBLISHED, _key(head, source, asked)))

    return opened


def _key(head: Head, verdict: Verdict, asked: Edition) -> str:
    """A fingerprint of all that what is published depends on, but for the time at which it is made."""
    said = head_entry(replace(head, made=replace(head.made, at=""), plan=None), ())
    explained = (asked.explaining.fingerprint, *(one.fingerprint for one in asked.scenarios))
    words = (line_of(said), repr((asked.ahead, asked.wanted)), verdict.choices.key or "", *explained)
    return digest_of(*(text.encode() for text in words), *_results(verdict))


def _results(verdict: Verdict) -> Iterator[bytes]:
    """What each item's results in the trial depend on, and those of its cuts."""
    for trial in (verdict.trial, *verdict.trial.cuts):
        store = trial.store
        assert isinstance(store, DirectoryStore)
        yield from store.results()
