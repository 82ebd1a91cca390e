"""How fast the planning bench answers: server time of a change, by the size of the trial, and of drawing its plan."""

from __future__ import annotations

from typing import Any

from bench.timing import best_of, empty_garden, growth

SIZES = ((12, 4), (50, 5), (100, 5))  # entries, replicates
DESIGNS = ("blocks", "incomplete", "split")


def typed(design: str, entries: int, replicates: int, large: bool) -> dict[str, Any]:
    """A plan as the form reads it, in a bed with room for it or in one without."""
    return {
        "design": design,
        "blocks": replicates,
        "block_size": 10,
        "levels": ["a", "b"],
        "factor": "Cover",
        "plot_length_m": 2.0,
        "plot_width_m": 1.0,
        "path_m": 0.5,
        "between_rows_cm": 40.0,
        "in_row_cm": 20.0,
        "cv_percent": 14.0,
        "crop": "Bulb fennel",
        "bed_length_m": 80.0 if large else 20.0,
        "bed_width_m": 80.0 if large else 10.0,
        "entries": [str(i) for i in range(entries)],
    }


def changes() -> None:
    """Everything that follows a change on the planning bench; the worst of a bed that fits and one that does not."""
    from evarlo.trials.forecast import forecast

    print("A change on the planning bench (plan, power, seed, trays), server time")
    for design in DESIGNS:
        before = size = 0.0
        for entries, replicates in SIZES:
            both = [typed(design, entries, replicates, large) for large in (True, False)]
            plots = float(forecast(both[0], entries).plots or 0)
            taken = max(best_of(lambda t=t, e=entries: forecast(t, e)) for t in both)  # type: ignore[misc]
            print(f"  {design:10s} {plots:5.0f} plots: {1000 * taken:6.1f} ms{growth(taken, before, plots / size if size else 1)}")
            before, size = taken, plots


def drawing() -> None:
    from evarlo.ui.draw.plan import Outline, Tag, plan

    print("Drawing a plan")
    before = size = 0.0
    for count in (48, 500, 2000):
        tags = [
            Tag(i, str(101 + i), 2.2 * (i % 50), 1.1 * (i // 50), 2, 1, right="E01", said="entry", url="#") for i in range(count)
        ]
        bed = [Outline("", 0, 0, 112, 46)]
        taken = best_of(lambda t=tags, b=bed: plan(t, b, 75, True))  # type: ignore[misc]
        print(f"  {count:5d} plots: {1000 * taken:6.1f} ms{growth(taken, before, count / size if size else 1)}")
        before, size = taken, float(count)


def main() -> None:
    with empty_garden():
        changes()
        drawing()


if __name__ == "__main__":
    main()
