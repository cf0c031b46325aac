"""Rules learnt from real tables that ship inside general-purpose packages: how near what is drawn
by them comes, beside a second real half and beside columns drawn each for itself.

    python benchmarks/learning.py            # the tables
    python benchmarks/learning.py --speed    # 100,000 x 20, beside pandas' own description of it
"""

from __future__ import annotations

import argparse
import time
import warnings
from collections.abc import Iterator
from typing import Any

import numpy as np
import pandas as pd

from urnshelf import Urn
from urnshelf.learning import learn
from urnshelf.learning.framed import sample_table
from urnshelf.learning.how_far import correlations, distance, ordered_columns
from urnshelf.learning.learnt import drawn_table, read_text
from urnshelf.learning.relations import relations
from urnshelf.learning.sample import SampleTable

Frame = pd.DataFrame
Target = tuple[str, bool] | None


def tables() -> Iterator[tuple[str, Frame, Target]]:
    """Real tables, each with the column that a model is to tell, and whether that is a label."""
    from sklearn import datasets
    from statsmodels import datasets as others

    labels = {"iris": True, "wine": True, "breast_cancer": True, "diabetes": False}
    for name, is_label in labels.items():
        frame = getattr(datasets, f"load_{name}")(as_frame=True).frame
        frame.columns = [plain(one) for one in frame.columns]
        yield name, frame, ("target", is_label)
    targets: dict[str, Target] = {
        "fair": ("affairs", False), "fertility": None, "star98": ("NABOVE", False),
        "randhie": ("mdvis", False), "spector": None, "anes96": ("vote", True),
    }  # fmt: skip
    for name, target in targets.items():
        frame = getattr(others, name).load_pandas().data.copy()
        frame.columns = [plain(one) for one in frame.columns]
        if len(frame) >= 60 and len(frame.columns) <= 40:
            yield name, frame, target


def plain(name: object) -> str:
    """A column's name as one word."""
    words = "".join(one if one.isalnum() else " " for one in str(name))
    return "_".join(words.split()) or "column"


def figures(frame: Frame, target: Target) -> dict[str, Any]:
    """What is learnt from one half of a table, measured by the other."""
    order = np.random.default_rng(1).permutation(len(frame))
    half = len(frame) // 2
    one, other = frame.iloc[order[:half]], frame.iloc[order[half : 2 * half]]
    began = time.perf_counter()
    learnt = learn(one, check_leaks=False)
    took = time.perf_counter() - began
    planned = read_text(learnt.plan)["records"]
    drawn = drawn_table(planned, max(half, 1000))
    rows = Frame({name: column.values() for name, column in drawn.columns.items()})
    mixed = np.random.default_rng(2)
    alone = Frame({name: mixed.permutation(one[name]) for name in one.columns})
    samples = {
        "drawn": drawn, "half": sample_table("half", other, "half"),
        "alone": sample_table("alone", alone, "alone"),
    }  # fmt: skip
    real = sample_table("real", one, "real")
    found: dict[str, Any] = {
        "rows": f"{len(frame)} x {len(frame.columns)}", "seconds": round(took, 2),
        "kB": round(len(learnt.plan) / 1000, 1), **_distances(real, samples),
        "relations": _kept(real, drawn),
    }  # fmt: skip
    if target is not None:
        found |= _models(one, other, rows, *target)
    return found


def _distances(real: SampleTable, samples: dict[str, SampleTable]) -> dict[str, Any]:
    apart: dict[str, Any] = {}
    names = list(real.columns)
    drawn, half = (
        [distance(real.columns[name], samples[which].columns[name]) for name in names]
        for which in ("drawn", "half")
    )
    apart["distance drawn / half"] = f"{np.median(drawn):.3f} / {np.median(half):.3f}"
    near = sum(a <= b + 0.01 for a, b in zip(drawn, half, strict=True))
    apart["as near as the half"] = f"{near} of {len(names)}"
    ordered = ordered_columns(real)
    above = np.triu_indices(len(ordered), 1)
    told = [
        float(np.nanmean(np.abs(correlations(real, ordered) - correlations(one, ordered))[above]))
        for one in samples.values()
    ]
    apart["Spearman drawn / half / alone"] = " / ".join(f"{one:.3f}" for one in told)
    return apart


def _kept(real: SampleTable, drawn: SampleTable) -> str:
    """The relations of the real half that hold on all drawn rows."""
    numbers = {name: one for name, one in real.columns.items() if not one.is_labelled}
    found = relations(numbers)
    again = {one.name for one in relations(
        {name: one for name, one in drawn.columns.items() if not one.is_labelled}
    )}  # fmt: skip
    return f"{sum(one.name in again for one in found)} of {len(found)}"


def _models(one: Frame, other: Frame, rows: Frame, target: str, is_label: bool) -> dict[str, str]:
    """How well a simple model tells the other half: learnt from the real half, and from what is
    drawn.
    """
    from sklearn.linear_model import LinearRegression, LogisticRegression
    from sklearn.metrics import r2_score, roc_auc_score
    from sklearn.pipeline import make_pipeline
    from sklearn.preprocessing import StandardScaler

    inputs = [name for name in one.columns if name != target]
    scores = []
    for frame in (one, rows):
        frame = frame.dropna()
        x, y = frame[inputs].astype(float), frame[target]
        if is_label:
            model = make_pipeline(StandardScaler(), LogisticRegression(max_iter=2000)).fit(x, y)
            told = model.predict_proba(other[inputs].astype(float))
            if told.shape[1] > 2:
                scores.append(model.score(other[inputs].astype(float), other[target]))
            else:
                scores.append(roc_auc_score(other[target], told[:, 1]))
        else:
            model = make_pipeline(StandardScaler(), LinearRegression()).fit(x, y.astype(float))
            scores.append(r2_score(other[target], model.predict(other[inputs].astype(float))))
    return {"model real / drawn": " / ".join(f"{one:.2f}" for one in scores)}


def speed(rows: int = 100_000, columns: int = 20) -> None:
    """Learning as a ratio to pandas' own description; drawing beside today's realistic frame."""
    from urnshelf.demo.harbour import Vessel

    rng = np.random.default_rng(3)
    size = rng.normal(40, 12, rows)
    kinds = rng.choice(["cargo", "ferry", "tug", "yacht"], rows)
    frame = pd.DataFrame({"kind": kinds, "length_m": size.round(1)})
    for number in range(columns - 2):
        if number % 3 == 0:
            frame[f"code_{number}"] = rng.choice(list("ABCDEF"), rows)
        elif number % 3 == 1:
            frame[f"measure_{number}"] = (
                size * rng.uniform(0.5, 2) + rng.normal(0, 9, rows)
            ).round(2)
        else:
            frame[f"count_{number}"] = rng.poisson(3 + number, rows)
    learning, describing, drawing, today = [], [], [], []
    for _ in range(3):
        began = time.perf_counter()
        learnt = learn(frame, check_leaks=False)
        learning.append(time.perf_counter() - began)
        began = time.perf_counter()
        frame.describe(include="all")
        describing.append(time.perf_counter() - began)
        planned = read_text(learnt.plan)["records"]
        began = time.perf_counter()
        planned.frame(range(rows))
        drawing.append((time.perf_counter() - began) / columns)
        began = time.perf_counter()
        Urn(seed=1).data_frame(Vessel, rows)
        today.append((time.perf_counter() - began) / len(Vessel.__dataclass_fields__))
    learnt_in, described = np.median(learning), np.median(describing)
    column, usual = np.median(drawing) * 1000, np.median(today) * 1000
    print(f"learning {rows:,} x {columns}: {learnt_in:.2f} s")
    print(f"  pandas' description: {described:.2f} s, so {learnt_in / described:.1f} x")
    print(f"  a learnt column of {rows:,}: {column:.0f} ms, of today's frame {usual:.0f} ms, so "
          f"{column / usual:.2f} x")  # fmt: skip


def main() -> None:
    """The figures asked for."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--speed", action="store_true")
    parser.add_argument("names", nargs="*")
    chosen = parser.parse_args()
    if chosen.speed:
        speed()
        return
    warnings.simplefilter("ignore")
    found = {
        name: figures(frame, target)
        for name, frame, target in tables()
        if not chosen.names or name in chosen.names
    }
    print(pd.DataFrame(found).fillna("-").T.to_string())


if __name__ == "__main__":
    main()
