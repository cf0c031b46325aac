"""Rules learnt from samples: what is found, how near it comes, and what it does not give away."""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import pandas as pd
import pydantic
import pytest
from scipy import stats
from sklearn import datasets

from urnshelf import SampleRefused, Shelf, Urn, rules
from urnshelf.cli.main import main
from urnshelf.demo.harbour import Mooring, Vessel, VesselKind
from urnshelf.files.plan_file import read_plan
from urnshelf.learning import Learnt, learn

SEASON = Path(__file__).parents[1] / "examples" / "season.toml"
Rng = np.random.Generator


@pytest.fixture(scope="module")
def season(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("season")
    assert main(["draw", str(SEASON), "-o", str(folder)]) == 0
    return folder


@pytest.fixture(scope="module")
def learnt(season: Path) -> Learnt:
    return learn(season)


@pytest.fixture
def rng() -> Rng:
    return np.random.default_rng(5)


def told(found: Learnt, table: str = "records") -> dict[str, str]:
    return {one.name: one.follows for one in found.columns[table]}


def drawn(found: Learnt, n: int, table: str = "records") -> pd.DataFrame:
    columns = found.drawn(table, n).columns
    return pd.DataFrame({name: one.values() for name, one in columns.items()})


# --- related tables -------------------------------------------------------------------------------


def test_what_a_season_is_made_of_is_found(learnt: Learnt) -> None:
    vessels, moorings, lines = (told(learnt, name) for name in ("vessels", "moorings", "lines"))
    assert vessels["dues_class"] == "known by kind, on all 600 rows"
    assert vessels["length_m"] == "by kind"
    assert "leans on length_m" in vessels["draught_m"]
    assert "a child of vessels.id, on all" in moorings["vessel_id"]
    assert moorings["arrival"].startswith("never before booked_on")
    assert moorings["days"] == "by vessel_id.kind"
    stays = r"= arrival \+ days, in days, on all \d+ rows; missing by state"
    assert re.fullmatch(stays, moorings["left_on"])
    assert moorings["dues"].startswith("sum lines.amount, on all")
    assert moorings["lines"].startswith("count lines, on all")
    assert lines["amount"].startswith("= quantity * unit_price, on all")
    assert len(learnt.plan.splitlines()) < 150


def test_every_relation_holds_on_every_drawn_row(learnt: Learnt, tmp_path: Path) -> None:
    plan = tmp_path / "learnt.toml"
    learnt.save(plan)
    assert main(["draw", str(plan), "-o", str(tmp_path / "*.csv")]) == 0
    vessels, moorings, lines = (
        pd.read_csv(tmp_path / f"{name}.csv") for name in ("vessels", "moorings", "lines")
    )
    assert ((lines.quantity * lines.unit_price).round(2) == lines.amount).all()
    sums = lines.groupby("mooring_id").amount.sum().round(2)
    assert (sums.reindex(moorings.id).fillna(0).values == moorings.dues.round(2).values).all()
    counts = lines.groupby("mooring_id").size().reindex(moorings.id)
    assert (counts.values == moorings.lines.values).all()
    assert set(moorings.vessel_id) <= set(vessels.id)
    assert (moorings.arrival >= moorings.booked_on).all()
    stays = pd.to_datetime(moorings.left_on) - pd.to_datetime(moorings.arrival)
    assert (stays.dt.days.dropna() == moorings.days[stays.notna()]).all()
    assert (moorings.left_on.notna() == (moorings.state == "departed")).all()
    assert vessels.groupby("kind").dues_class.nunique().max() == 1


def harbour_of_days(rng: Rng, n: int = 600) -> dict[str, pd.DataFrame]:
    """Vessels, their moorings and the lines of each, made by NumPy alone."""
    kind = rng.choice(["cargo", "ferry", "tug", "yacht"], n, p=[0.4, 0.3, 0.2, 0.1])
    base = pd.Series(kind).map({"cargo": 90, "ferry": 60, "tug": 25, "yacht": 14}).to_numpy()
    length = np.maximum(rng.normal(base, base / 5), 6).round(1)
    vessels = pd.DataFrame({
        "id": np.arange(1, n + 1), "kind": kind, "length_m": length,
        "rate_class": pd.Series(kind).map({"cargo": "A", "ferry": "A", "tug": "B", "yacht": "C"}),
        "draught_m": (length / 18 + rng.normal(0, 0.2, n)).round(1),
    })  # fmt: skip
    often = pd.Series(kind).map({"cargo": 2, "ferry": 6, "tug": 1, "yacht": 0.5}).to_numpy()
    at = np.repeat(np.arange(n), rng.poisson(often))
    m = len(at)
    booked = pd.Timestamp("2030-01-01") + pd.to_timedelta(rng.integers(0, 300, m), unit="D")
    stay = pd.Series(kind[at]).map({"cargo": 3, "ferry": 0.3, "tug": 0.5, "yacht": 8}).to_numpy()
    moorings = pd.DataFrame({
        "id": np.arange(1, m + 1), "vessel_id": at + 1, "booked_on": booked.date,
        "arrival": (booked + pd.to_timedelta(rng.geometric(0.1, m), unit="D")).date,
        "days": 1 + rng.poisson(stay),
    })  # fmt: skip
    of = np.repeat(moorings.id.to_numpy(), 1 + rng.poisson(1.2, m))
    what = rng.choice(["berth", "water", "power"], len(of), p=[0.5, 0.3, 0.2])
    price = pd.Series(what).map({"berth": 80, "water": 2.5, "power": 7}).to_numpy()
    lines = pd.DataFrame({
        "id": np.arange(1, len(of) + 1), "mooring_id": of, "what": what,
        "quantity": np.where(what == "berth", 1, rng.integers(1, 9, len(of))),
        "unit_price": (price * rng.uniform(0.8, 1.3, len(of))).round(2),
    })  # fmt: skip
    lines["amount"] = (lines.quantity * lines.unit_price).round(2)
    moorings["dues"] = lines.groupby("mooring_id").amount.sum().round(2).to_numpy()
    return {"lines": lines, "moorings": moorings, "vessels": vessels}


def test_another_harbour_whose_ferries_come_often(rng: Rng, tmp_path: Path) -> None:
    tables = harbour_of_days(rng)
    found = learn(tables)
    assert list(found.columns) == ["vessels", "moorings", "lines"]
    assert told(found, "vessels")["kind"] == "by count moorings"
    assert told(found, "moorings")["days"] == "by vessel_id.kind"
    assert len(found.plan.splitlines()) < 150
    found.save(tmp_path / "plan.toml")
    assert main(["draw", str(tmp_path / "plan.toml"), "-o", str(tmp_path / "*.csv")]) == 0
    vessels, moorings, lines = (
        pd.read_csv(tmp_path / f"{name}.csv") for name in ("vessels", "moorings", "lines")
    )
    assert ((lines.quantity * lines.unit_price).round(2) == lines.amount).all()
    sums = lines.groupby("mooring_id").amount.sum().round(2).reindex(moorings.id)
    assert (sums.to_numpy() == moorings.dues.round(2).to_numpy()).all()
    assert (moorings.arrival >= moorings.booked_on).all()
    assert vessels.groupby("kind").rate_class.nunique().max() == 1
    for one, other in ((tables["vessels"], tables["moorings"]), (vessels, moorings)):
        each = one.id.map(other.groupby("vessel_id").size()).fillna(0)
        means = each.groupby(one.kind).mean()
        assert means["ferry"] > 2 * means["cargo"] > 2 * means["tug"]


def test_parents_have_as_many_children_as_in_the_sample(season: Path, learnt: Learnt) -> None:
    sample = pd.read_csv(season / "moorings.csv").groupby("vessel_id").size()
    counts = sample.reindex(range(1, 601)).fillna(0)
    columns = learnt.drawn("moorings", 40_000).columns
    vessels = pd.Series(columns["vessel_id"].values()).value_counts()
    # whole blocks of parents
    made = vessels.reindex(range(1, 18_001)).fillna(0)
    assert stats.ks_2samp(counts, made).statistic < 0.01


def test_what_is_drawn_is_as_near_as_another_sample(learnt: Learnt) -> None:
    near = [
        one.distance for several in learnt.columns.values() for one in several if one.is_compared
    ]
    assert len(near) == 17
    assert max(one for one in near if one is not None) < 0.07
    assert all(apart is not None and apart < 0.05 for apart in learnt.apart.values())


def test_the_same_from_files_a_shelf_and_a_database(shelf: Shelf, tmp_path: Path) -> None:
    shelf.stock(Vessel, 300)
    shelf.stock(Mooring, 500, vessel_id=rules.link(Vessel), berth_id=3)
    shelf.save(tmp_path / "harbour.json")
    shelf.save(tmp_path / "csv", "csv")
    shelf.save(tmp_path / "parquet", "parquet")
    url = f"sqlite:///{tmp_path / 'harbour.db'}"
    shelf.save_sql(url)
    plans = [
        learn(tmp_path / "harbour.json", check_leaks=False).plan,
        learn(tmp_path / "csv", check_leaks=False).plan,
        learn(tmp_path / "parquet", check_leaks=False).plan,
        learn(["vessel", "mooring"], database=url, check_leaks=False).plan,
    ]
    tables = [dict(sorted(_tables(plan).items())) for plan in plans]
    assert tables[0] == tables[1]
    assert {name: set(one) for name, one in tables[0].items()} == {
        name: set(one) for name, one in tables[2].items()
    }
    assert {name: set(one) for name, one in tables[0].items()} == {
        name: set(one) for name, one in tables[3].items()
    }
    assert "'vessel'" in tables[0]["mooring"]["vessel_id"]


def _tables(plan: str) -> dict[str, dict[str, str]]:
    import tomllib

    return {
        name: {field: repr(rule) for field, rule in table["rules"].items()}
        for name, table in tomllib.loads(plan)["tables"].items()
    }


def test_how_many_children_a_parent_has_goes_with_what_it_is(rng: Rng) -> None:
    kinds = rng.choice(["ferry", "tug"], 600)
    counts = np.where(kinds == "ferry", rng.poisson(6, 600), rng.poisson(1, 600))
    vessels = pd.DataFrame({"id": range(1, 601), "kind": kinds})
    moorings = pd.DataFrame({"vessel_id": np.repeat(vessels.id, counts)})
    moorings["days"] = rng.integers(1, 9, len(moorings))
    found = learn({"vessels": vessels, "moorings": moorings})
    assert told(found, "vessels")["kind"] == "by count moorings"
    made = found.drawn("vessels", 3000).columns["kind"].values()
    each = pd.Series(found.drawn("moorings", 9000).columns["vessel_id"].values()).value_counts()
    each = each.reindex(range(1, int(each.index.max()))).fillna(0)
    ferry = [n for n, kind in zip(each.sort_index(), made, strict=False) if kind == "ferry"]
    assert 5.3 < np.mean(ferry) < 6.7


# --- what goes together ---------------------------------------------------------------------------


def test_two_that_tell_only_together_are_found(rng: Rng) -> None:
    n = 3000
    side, tide = rng.choice(["east", "west"], n), rng.choice(["ebb", "flood"], n)
    same = (side == "east") == (tide == "ebb")
    wind, swell = rng.normal(0, 1, n).round(2), rng.normal(0, 1, n).round(2)
    frame = pd.DataFrame({
        "side": side, "tide": tide, "wind": wind, "swell": swell,
        "open": np.where(same ^ (rng.random(n) < 0.1), "yes", "no"),
        "depth": np.where(same, 10, 20) + rng.normal(0, 2, n).round(1),
        "drift": (wind * swell + rng.normal(0, 0.2, n)).round(2),
    })  # fmt: skip
    found = learn(frame)
    assert told(found)["open"] == "by side and tide"
    assert told(found)["depth"] == "by side and tide"
    assert told(found)["drift"] == "by wind and swell"
    made = drawn(found, 10_000)
    means = made.groupby(["side", "tide"]).depth.mean()
    assert abs(means["east", "ebb"] - 10) < 0.5
    assert abs(means["east", "flood"] - 20) < 0.5
    shares = made.groupby(["side", "tide"]).open.apply(lambda one: (one == "yes").mean())
    assert shares["west", "flood"] > 0.85 > 0.15 > shares["west", "ebb"]


def test_real_tables_keep_their_correlations() -> None:
    for name, most in (("iris", 0.07), ("wine", 0.07), ("breast_cancer", 0.07), ("diabetes", 0.07)):
        frame = getattr(datasets, f"load_{name}")(as_frame=True).frame
        frame.columns = [re.sub(r"\W+", "_", one).strip("_") for one in frame.columns]
        found = learn(frame, check_leaks=False)
        apart = found.apart["records"]
        assert apart is not None
        assert apart < most, name
        far = [one.distance or 0 for one in found.columns["records"]]
        assert float(np.median(far)) < 0.06, name


@pytest.mark.parametrize(
    ("make", "formula"),
    [
        (lambda a, b, c: a * b, "a * b"), (lambda a, b, c: a + b, "a + b"),
        (lambda a, b, c: a - b, "a - b"), (lambda a, b, c: a + b + c, "a + b + c"),
        (lambda a, b, c: a * b * (1 - c / 100), "a * b * (1 - c / 100)"),
        (lambda a, b, c: a * (1 + c / 100), "a * (1 + c / 100)"),
        (lambda a, b, c: a * 1.25, "a * 1.25"),
    ],
)  # fmt: skip
def test_formulas_are_found_and_kept(make: Callable[..., Any], formula: str, rng: Rng) -> None:
    a, b = rng.integers(1, 50, 400), rng.uniform(1, 20, 400).round(2)
    c = rng.choice([0, 5, 12.5, 20], 400)
    frame = pd.DataFrame({"a": a, "b": b, "c": c, "d": np.round(make(a, b, c), 2)})
    found = learn(frame, check_leaks=False)
    assert told(found)["d"] == f"= {formula}, on all 400 rows"
    made = drawn(found, 800)
    again = make(made.a, made.b, made.c)
    assert (np.abs(again - made.d) <= 0.00501).all()


def test_a_relation_that_one_row_breaks_is_none(rng: Rng) -> None:
    frame = pd.DataFrame({"a": rng.integers(1, 50, 400), "b": rng.integers(1, 9, 400)})
    frame["c"] = frame.a * frame.b
    frame.loc[399, "c"] += 1
    assert "=" not in told(learn(frame, check_leaks=False))["c"]


def test_what_is_missing_together_and_by_what(rng: Rng) -> None:
    n = 2000
    state = rng.choice(["booked", "left"], n)
    gone = np.where(state == "left", rng.random(n) < 0.05, rng.random(n) < 0.9)
    frame = pd.DataFrame({
        "state": state, "dues": np.where(gone, np.nan, rng.normal(50, 9, n).round(2)),
        "paid_by": np.where(gone, None, rng.choice(["card", "cash"], n)),
        "note": np.where(rng.random(n) < 0.3, None, rng.choice(["calm", "gale"], n)),
    })  # fmt: skip
    found = learn(frame)
    assert "missing by state" in told(found)["dues"]
    assert "missing with dues" in told(found)["paid_by"]
    made = drawn(found, 4000)
    assert (made.dues.isna() == made.paid_by.isna()).all()
    assert abs(made[made.state == "booked"].dues.isna().mean() - 0.9) < 0.03
    assert abs(made.note.isna().mean() - 0.3) < 0.03


# --- nobody in it ---------------------------------------------------------------------------------


def people(rng: Rng, n: int = 2000) -> pd.DataFrame:
    role = rng.choice(["clerk", "pilot", "crane driver"], n).astype(object)
    pay = np.round(rng.lognormal(8, 0.4, n), 2)
    born = (pd.Timestamp("1960-01-01") + pd.to_timedelta(rng.integers(0, 15000, n), unit="D")).date
    born = born.astype(object)
    role[17], pay[17], born[17] = "keeper of the great lamp", 987654.32, date(1871, 2, 3)
    letters = [chr(97 + i % 26) + chr(97 + i // 26 % 26) for i in range(n)]
    return pd.DataFrame({
        "role": role, "pay": pay, "born": born,
        "name": [f"Zara Quonk{one}" for one in letters],
        "mail": [f"quonk{i}@lamps.example" for i in range(n)],
        "badge": [f"QQ-{i:05}" for i in rng.permutation(n)],
        "note": [f"Quonk {i} likes the tea of Quonkhythe, and says so often" for i in range(n)],
    })  # fmt: skip


def test_canaries_are_neither_in_the_plan_nor_in_what_is_drawn(rng: Rng) -> None:
    found = learn(people(rng))
    made = drawn(found, 100_000)
    everything = found.plan + "\n".join(made[name].astype(str).str.cat(sep="\n") for name in made)
    for canary in ("great lamp", "987654", "1871-", "Quonk", "quonk", "lamps.example"):
        assert canary not in everything
    assert made.born.min() >= date(1958, 1, 1)
    assert made.badge.str.fullmatch(r"QQ-\d{5}").all()
    assert [one.verdict for one in found.leaks] == ["passed"]


def test_a_noisy_copy_is_refused_by_the_check(rng: Rng) -> None:
    from urnshelf.learning.framed import sample_table
    from urnshelf.learning.leaks import closeness

    frame = people(rng)[["role", "pay", "born"]]
    copied = frame.iloc[:1000].copy()
    copied["pay"] = (copied.pay * (1 + rng.normal(0, 0.15, 1000))).round(2)
    half, other, copy = (
        sample_table(name, one, name)
        for name, one in (("a", frame.iloc[:1000]), ("b", frame.iloc[1000:]), ("c", copied))
    )
    assert closeness("people", 2000, half, other, copy).verdict == "refused"
    assert closeness("people", 2000, half, other, other).closer < 0.5


def test_what_would_give_the_sample_away_is_not_written(
    monkeypatch: pytest.MonkeyPatch, rng: Rng, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    from urnshelf.learning import whole_sample
    from urnshelf.learning.leaks import LeakCheck

    monkeypatch.setattr(
        whole_sample, "leak_check", lambda *_: LeakCheck("people", 2000, "", 0.9, 0.85, 0.2, 0.0)
    )
    people(rng).to_csv(tmp_path / "people.csv", index=False)
    plan = tmp_path / "plan.toml"
    assert main(["learn", str(tmp_path / "people.csv"), "-o", str(plan)]) == 2
    assert "would give the sample away, so nothing is written" in capsys.readouterr().err
    assert not plan.exists()


def test_labels_are_made_anew_where_that_is_asked_for(rng: Rng) -> None:
    found = learn(people(rng), relabel=["role"])
    assert "pilot" not in found.plan
    assert set(drawn(found, 500).role) == {"role 1", "role 2", "role 3"}


def test_a_greater_smallest_group_tells_less(rng: Rng) -> None:
    frame = people(rng)
    frame.loc[:39, "role"] = "diver"
    assert "diver" in learn(frame).plan
    assert "diver" not in learn(frame, smallest_group=50).plan


# --- record types ---------------------------------------------------------------------------------


class Gauge(pydantic.BaseModel):
    depth: Annotated[float, pydantic.Field(ge=0, le=10)]
    kind: str


@dataclass
class Pilot:
    role: str
    pay: Annotated[float, "in crowns"]
    born: date
    licence: str


def test_a_record_type_keeps_its_fields(rng: Rng, tmp_path: Path) -> None:
    found = learn(people(rng), types={"records": Pilot})
    assert {one.name for one in found.columns["records"]} == {"role", "pay", "born"}
    assert "Pilot has no such field" in found.left_out["records"]["mail"]
    plan = tmp_path / "plan.toml"
    found.save(plan)
    shelf = Shelf(seed=2)
    shelf.stock(plan)
    pilots = list(shelf.records(Pilot))
    assert len(pilots) == 2000
    assert {one.role for one in pilots} == {"clerk", "pilot", "crane driver"}
    assert all(one.licence for one in pilots)


def test_the_limits_of_a_record_type_are_kept(rng: Rng) -> None:
    frame = pd.DataFrame({
        "depth": rng.normal(5, 4, 800).round(1), "kind": rng.choice(["a", "b"], 800)
    })  # fmt: skip
    found = learn(frame, types={"records": Gauge}, check_leaks=False)
    made = drawn(found, 1000)
    assert made.depth.min() >= 0
    assert made.depth.max() <= 10


def test_rare_members_of_an_enum_are_left_out_and_not_called_otherwise(rng: Rng) -> None:
    kinds = [VesselKind.CARGO] * 300 + [VesselKind.FERRY] * 200
    kinds += [VesselKind.FISHING] * 4 + [VesselKind.PLEASURE] * 4
    frame = pd.DataFrame({"kind": [one.value for one in kinds], "length_m": rng.normal(50, 9, 508)})
    assert "(other)" in learn(frame, check_leaks=False).plan
    found = learn(frame, types={"records": Vessel}, check_leaks=False)
    assert set(drawn(found, 300).kind) == {"cargo", "ferry"}
    (one,) = [one for one in found.columns["records"] if one.name == "kind"]
    assert one.comment == "2 rarer values left out"


def test_a_type_that_no_plan_can_name(rng: Rng) -> None:
    @dataclass
    class Inside:
        role: str

    with pytest.raises(SampleRefused, match="define it outside of functions"):
        learn(people(rng), types={"records": Inside})


def test_a_kiosk_takes_a_learnt_plan(learnt: Learnt, tmp_path: Path, shelf: Shelf) -> None:
    import httpx

    plan = tmp_path / "port.toml"
    text = learnt.plan + (
        '\n[[kiosk]]\nname = "port"\n[[kiosk.collections]]\npath = "/vessels"\ntable = "vessels"\n'
    )
    plan.write_text(text)
    kiosk = shelf.kiosk("port", plan=plan)
    client = httpx.Client(transport=kiosk.for_httpx(), base_url="http://port.example")
    assert client.get("/vessels/7").json()["kind"] in {"cargo", "ferry", "tug", "yacht"}


# --- the command ----------------------------------------------------------------------------------


def test_the_report_and_the_picture(
    season: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    picture = tmp_path / "season.png"
    words = ["learn", str(season), "-o", str(tmp_path / "p.toml"), "--picture", str(picture)]
    assert main(words) == 0
    out = capsys.readouterr().out
    assert "vessels: 600 rows" in out
    assert "rank correlations: 0.0" in out
    assert "What it gives away" in out
    assert "This is no differential privacy" in out
    assert sorted(path.name for path in tmp_path.glob("*.png")) == [
        "season-lines-1.png", "season-moorings-1.png", "season-vessels-1.png",
    ]  # fmt: skip
    assert set(read_plan(tmp_path / "p.toml").tables) == {"vessels", "moorings", "lines"}


def test_without_an_output_it_only_tells(season: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["learn", str(season / "vessels.csv"), "--relabel", "flag"]) == 0
    out = capsys.readouterr().out
    assert "Nothing is written; -o plan.toml keeps it." in out
    assert "flag 1" in out


def test_more_than_twelve_fields_are_paged(rng: Rng, tmp_path: Path) -> None:
    frame = pd.DataFrame({f"gauge_{n}": rng.normal(5, 1, 300).round(2) for n in range(15)})
    frame.to_csv(tmp_path / "gauges.csv", index=False)
    words = ["learn", str(tmp_path / "gauges.csv"), "--picture", str(tmp_path / "g.svg")]
    assert main(words) == 0
    assert [path.name for path in sorted(tmp_path.glob("*.svg"))] == [
        "g-1.svg", "g-2.svg",
    ]  # fmt: skip


def rows(count: int = 100) -> str:
    return "name,n\n" + "".join(f"tug,{n % 7}\n" for n in range(count))


BAD: list[tuple[str, bytes, list[str], str]] = [
    ("a.csv", b"", [], "it is empty"),
    ("a.csv", b"a,b\n", [], "it has no rows"),
    ("a.csv", b"a;b\n" + b"1;2\n" * 90, [], "are its columns divided by commas?"),
    ("a.csv", b"a,b\n" + b",\n" * 90, [], "no column has any value"),
    ("a.csv", b"a,a\n" + b"1,2\n" * 90, [], "two columns are called 'a'"),
    ("a.csv", "name,n\nMöwe,1\n".encode("latin-1") * 90, [], "no text in UTF-8"),
    ("a.csv", b"a,b\n1,2\n1,2,3\n", [], "it is no CSV"),
    ("a.csv", rows(12).encode(), [], "12 rows are too few to hide anybody in; 20 are needed"),
    ("a.csv", rows().replace("tug,3", "tug,?", 1).encode(), [], "--missing '?'"),
    ("a.csv", rows().encode(), ["--without", "name", "--without", "n"], "as was asked for"),
    ("a.csv", rows().encode(), ["--relabel", "colour"], "no table of the sample has such a column"),
    ("a.csv", rows().encode(), ["--smallest-group", "1"], "give 2 or more"),
    ("a.csv", rows().encode(), ["--type", "urnshelf.demo.harbour:Oar"], "has no 'Oar'"),
    ("a.csv", rows().encode(), ["--type", f"{__name__}:Pilot"], "none of its columns is a field"),
    ("a.csv", rows().encode(), ["--type", "b=x:Y"], "a type for 'b': the sample has the tables a"),
    ("a.jsonl", b'{"a": 1}\n{"a":\n', [], "line 2, column 6: it is no JSON"),
    ("a.json", b"[1, 2]", [], "a list of objects is needed"),
    ("a.jsonl", b'{"a": 1, "b": 2}\n' * 50 + b'{"a": "x", "b": 2}\n', [], "row 51 is 'x'"),
    ("a.parquet", b"tide", [], "it is no Parquet file"),
    ("a.xls", b"tide", [], "ends in one of .csv"),
]


@pytest.mark.parametrize(("name", "data", "more", "message"), BAD)
def test_bad_samples_are_refused_and_nothing_is_written(
    name: str, data: bytes, more: list[str], message: str, tmp_path: Path,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    (tmp_path / name).write_bytes(data)
    plan = tmp_path / "plan.toml"
    assert main(["learn", str(tmp_path / name), "-o", str(plan), *more]) == 2
    assert message in capsys.readouterr().err
    assert not plan.exists()


def test_a_link_to_nothing_is_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    vessels = "id,kind\n" + "".join(f"{n},tug\n" for n in range(1, 101))
    moorings = "vessel_id,days\n" + "".join(f"{n % 100 + 1},{n % 9}\n" for n in range(300))
    (tmp_path / "vessels.csv").write_text(vessels)
    (tmp_path / "moorings.csv").write_text(moorings + "777,3\n")
    words = ["learn", str(tmp_path / "vessels.csv"), str(tmp_path / "moorings.csv")]
    assert main(words) == 2
    assert "1 of 301 values name no id of vessels.csv; the first is 777, in row 301" in (
        capsys.readouterr().err
    )
    assert main([*words, "--without", "vessel_id"]) == 0
    (tmp_path / "moorings.csv").write_text(moorings)
    assert main(words) == 0


def test_advice_about_a_mixed_column_works(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "a.csv").write_text(rows(200).replace("tug,3", "tug,?", 3))
    words = ["learn", str(tmp_path / "a.csv")]
    assert main(words) == 2
    advice = re.search(r"--missing '(.)'", capsys.readouterr().err)
    assert advice is not None
    assert main([*words, "--missing", advice[1]]) == 0
    assert "1.5%" in capsys.readouterr().out


def test_a_million_categories(tmp_path: Path) -> None:
    texts = [f"mark {n % 1_000_000}" for n in range(2_000_000)]
    frame = pd.DataFrame({"mark": texts, "n": 1})
    with pytest.raises(SampleRefused, match="1,000,000 different texts"):
        learn(frame)


def test_a_database_that_is_none(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["learn", "--from", f"sqlite:///{tmp_path / 'none.db'}"]) == 2
    assert "the database has no tables" in capsys.readouterr().err
    assert main(["learn"]) == 2
    assert "one of the two" in capsys.readouterr().err
    assert main(["learn", "a.csv", "-o", "plan.txt"]) == 2
    assert "a plan file ends in .toml" in capsys.readouterr().err


def test_codes_with_zeros_are_no_numbers(tmp_path: Path) -> None:
    with (tmp_path / "a.csv").open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["code", "kind"])
        writer.writerows([f"{n:03}", "tug"] for n in range(900))
    found = learn(tmp_path / "a.csv")
    assert 'code = { all_different = { pattern = "[0-9]{3}" } }' in found.plan or (
        'code = { pattern = "[0-9]{3}" }' in found.plan
    )


@pytest.mark.parametrize(
    ("value", "hint"),
    [
        ("{0:02}.{1:02}.2030", "days as 2030-12-31 would be read"),
        ("{0}{1},5{0}", "numbers as 1234.56 would be read"),
        ("{0}{1}.5 %", "numbers without a sign or a unit would be read"),
        ("Q-{0}{1}", ""),
    ],
)
def test_days_and_numbers_in_other_forms_are_told(value: str, hint: str, rng: Rng) -> None:
    texts = [value.format(rng.integers(10, 29), rng.integers(10, 12)) for _ in range(900)]
    texts = [f"{one}" for one in texts]
    found = learn(pd.DataFrame({"told": texts, "n": range(900)}), smallest_group=40)
    (one,) = [rule for rule in found.columns["records"] if rule.name == "told"]
    assert (
        one.comment == f"the form of the texts{'; ' if hint else ''}{hint}{' as such' * bool(hint)}"
    )


def test_a_learnt_plan_is_drawn_by_a_new_process_alike(learnt: Learnt) -> None:
    tables = [read_text(learnt.plan) for _ in range(2)]
    assert tables[0] == tables[1]


def read_text(plan: str) -> list[Any]:
    from urnshelf.learning.learnt import read_text as read

    return read(plan)["lines"].first(50)


def test_what_is_learnt_is_the_same_each_time(season: Path, learnt: Learnt) -> None:
    assert learn(season).plan == learnt.plan
    assert Urn(0).draw(Vessel).id == 1


@pytest.mark.parametrize("ending", ["jsonl", "parquet"])
def test_what_is_drawn_has_the_types_of_the_sample(
    ending: str, season: Path, tmp_path: Path
) -> None:
    def read(path: Path) -> pd.DataFrame:
        if ending == "parquet":
            return pd.read_parquet(path)
        return pd.DataFrame([json.loads(line) for line in path.read_text().splitlines()])

    for folder in ("sample", "drawn"):
        (tmp_path / folder).mkdir()
    for name in ("vessels", "moorings", "lines"):
        frame = pd.read_csv(season / f"{name}.csv")
        path = tmp_path / "sample" / f"{name}.{ending}"
        if ending == "parquet":
            frame.to_parquet(path)
        else:
            frame.to_json(path, orient="records", lines=True)
    learn(tmp_path / "sample", check_leaks=False).save(tmp_path / "plan.toml")
    plan = str(tmp_path / "plan.toml")
    assert main(["draw", plan, "-o", str(tmp_path / "drawn"), "--format", ending]) == 0
    for name in ("vessels", "moorings", "lines"):
        sample, drawn_rows = (
            read(tmp_path / folder / f"{name}.{ending}") for folder in ("sample", "drawn")
        )
        days = {"booked_on", "arrival", "left_on", "insured_until"}  # texts in the one, days here
        kinds = [
            {c: t.kind for c, t in frame.dtypes.items() if c not in days}
            for frame in (sample, drawn_rows)
        ]
        assert kinds[0] == kinds[1]
        assert list(sample.columns) == list(drawn_rows.columns)
