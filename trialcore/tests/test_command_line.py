"""The command line does what its page says, and names what it cannot use."""

import contextlib
import csv
import io
import json
import os
import shlex
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from trialcore.formats.cli import main

ROOT = Path(__file__).resolve().parent.parent.parent
DATA = Path(__file__).parent / "data"


def run(*arguments: str) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main(arguments)
    return code, out.getvalue(), err.getvalue()


class TheirPage(TestCase):
    def test_every_example_gives_what_is_printed_there(self) -> None:
        blocks = (ROOT / "docs" / "command-line.md").read_text().split("\n    $ evarlo ")[1:]
        self.assertGreaterEqual(len(blocks), 8)
        before = os.getcwd()
        os.chdir(ROOT / "docs" / "examples")
        try:
            for block in blocks:
                command, *lines = block.split("\n")
                printed = [
                    line[4:] for line in lines[: next((i for i, x in enumerate(lines) if not x.startswith("    ")), len(lines))]
                ]
                with self.subTest(command=command):
                    _, out, err = run(*shlex.split(command))
                    self.assertEqual((out + err).rstrip("\n").split("\n"), printed)
        finally:
            os.chdir(before)


class LayoutAndBack(TestCase):
    """What `layout` writes, `analyse` knows again without being told."""

    DESIGNS = (
        ("rcbd", ["--entries", "8", "--reps", "3"], "rcbd"),
        ("alpha", ["--entries", "12", "--reps", "3", "--block-size", "4"], "alpha"),
        ("augmented", ["--entries", "20", "--checks", "C1,C2,C3", "--reps", "4"], "augmented"),
        ("latin", ["--entries", "5"], "latin"),
        ("split-plot", ["--entries", "3", "--levels", "x,y", "--reps", "4"], "split-plot"),
        ("strip-plot", ["--entries", "3", "--levels", "x,y,z", "--reps", "4"], "strip-plot"),
        ("factorial", ["--entries", "3", "--levels", "x,y", "--reps", "3"], "factorial"),
        ("paired-strips", ["--entries", "A,B", "--checks", "K", "--reps", "4"], "paired-strips"),
        ("crd", ["--entries", "5", "--reps", "3"], "crd"),
    )

    def test_round_trip(self) -> None:
        for design, arguments, known in self.DESIGNS:
            with self.subTest(design=design), tempfile.TemporaryDirectory() as folder:
                code, out, err = run("layout", "--design", design, *arguments, "--seed", "3", "--svg", f"{folder}/plan.svg")
                self.assertEqual(code, 0, err)
                self.assertEqual(run("layout", "--design", design, *arguments, "--seed", "3")[1], out)
                rows = list(csv.DictReader(io.StringIO(out)))
                self.assertEqual(Path(folder, "plan.svg").read_text().count("<rect"), len(rows))
                file = Path(folder, "trial.csv")
                with file.open("w", newline="") as target:
                    writer = csv.DictWriter(target, [*rows[0], "value"])
                    writer.writeheader()
                    for i, row in enumerate(rows):
                        writer.writerow(row | {"value": f"{10 + (i * 7) % 5 + hash_free(row['entry']):.2f}"})
                check = ["--check", "K"] if design == "paired-strips" else []
                code, out, err = run("analyse", str(file), "--format", "json", *check)
                self.assertEqual(code, 0, err)
                self.assertIn(f"taken as {known}", err)
                self.assertEqual(json.loads(out)["design"], known)
                self.assertEqual(run("analyse", str(file), *check)[0], 0)

    def test_a_bed_that_is_too_small_is_said(self) -> None:
        code, _, err = run("layout", "--entries", "10", "--reps", "4", "--seed", "1", "--bed", "10x3")
        self.assertEqual(code, 0)
        self.assertIn("does not fit", err)


def hash_free(text: str) -> int:
    return sum(map(ord, text)) % 7


class Refusals(TestCase):
    def refused(self, *arguments: str) -> str:
        code, out, err = run(*arguments)
        self.assertEqual((code, out), (2, ""), arguments)
        self.assertIn("; expected ", err)
        self.assertNotIn("Traceback", err)
        return err

    def file(self, text: str | bytes) -> str:
        made = tempfile.NamedTemporaryFile(suffix=".csv", delete=False)  # noqa: SIM115
        self.addCleanup(os.unlink, made.name)
        made.write(text if isinstance(text, bytes) else text.encode())
        made.close()
        return made.name

    def test_files_that_are_no_tables(self) -> None:
        for content in (b"", b"\x89PNG\r\n\x1a\n\x00\x00", b"entry,value\n", b'entry,value\n"A,1\nB,2', b"\xff\xfe\x00"):
            for verb in ("analyse", "germination", "sowing", "audpc", "agreement"):
                self.refused(verb, self.file(content))
        self.refused("analyse", "no-such-file.csv")
        self.refused("degree-days", self.file("tmin,tmax\n5,x\n"), "--base", "10")

    def test_every_bad_cell_is_named(self) -> None:
        err = self.refused("analyse", self.file("plot,rep,entry,value\n1,1,A,5\n1,1,B,6\n2,,C,7\n3,2,D,x\n4,2,E\n"))
        for place in ("line 3, column plot", "line 4, column rep", "line 5, column value: found x", "line 6"):
            self.assertIn(place, err)

    def test_designs_and_columns_that_do_not_go_together(self) -> None:
        plain = self.file("rep,entry,value\n1,A,5\n1,B,6\n2,A,5\n2,B,7\n")
        self.assertIn("needs the column row and col", self.refused("analyse", plain, "--design", "latin"))
        self.assertIn("not a design", self.refused("analyse", plain, "--design", "cubes"))
        self.assertIn("no plot has the entry", self.refused("analyse", plain, "--check", "Z"))
        self.assertIn("a column named mass", self.refused("analyse", plain, "--trait", "mass"))

    def test_layouts_that_cannot_be(self) -> None:
        for arguments in (
            ["--entries", "1"],
            ["--entries", "A,A,B"],
            ["--entries", "99999"],
            ["--entries", "5", "--design", "alpha"],
            ["--entries", "5", "--design", "split-plot"],
            ["--entries", "5", "--design", "augmented"],
            ["--entries", "5", "--plot", "0x1"],
            ["--entries", "5", "--bed", "wide"],
            ["--entries", "5", "--reps", "0"],
            ["--entries", "5", "--path", "-1"],
        ):
            self.refused("layout", *arguments, "--seed", "1")

    def test_reckonings_that_cannot_be(self) -> None:
        self.assertIn("line 2", self.refused("sowing", self.file("entry,stations,seeds,germination\nA,10,1,1.5\n")))
        self.refused("germination", self.file("lot,day,count,sown\nA,5,60,50\n"))
        self.refused("germination", self.file("lot,day,count,sown\nA,5,2.5,50\n"))
        self.refused("degree-days", self.file("tmin,tmax\n9,5\n"), "--base", "10")
        self.refused("audpc", self.file("unit,day,severity\n1,1,5\n"))
        self.refused("agreement", self.file("item,rater,score\n1,A,5\n2,A,6\n"))

    def test_the_figures_are_the_reference_ones(self) -> None:
        _, out, _ = run("analyse", str(DATA / "rcbd_16x4.csv"), "--design", "rcbd", "--check", "V03", "--format", "json")
        expected = json.loads((DATA / "rcbd_16x4.expected.json").read_text())
        self.assertAlmostEqual(json.loads(out)["mse"], expected["mse"], places=8)

    def test_entries_on_sub_plots_are_those_within_the_whole_ones(self) -> None:
        """The published split-plot with its columns named the other way round gives the same figures for the same plots."""
        text = (DATA / "splitplot_3x4.csv").read_text()
        head, *rows = text.splitlines()
        names = [{"entry": "factor2", "factor2": "entry"}.get(name, name) for name in head.split(",")]
        with tempfile.TemporaryDirectory() as folder:
            turned = Path(folder, "turned.csv")
            turned.write_text("\n".join([",".join(names), *rows]) + "\n")
            code, out, err = run("analyse", str(turned), "--design", "split-plot", "--entries", "sub", "--format", "json")
            self.assertEqual(code, 0, err)
            found, expected = json.loads(out), json.loads((DATA / "splitplot_3x4.expected.json").read_text())
            self.assertEqual(found["sub_plot_factor"], "entry")
            self.assertAlmostEqual(found["mse_a"], expected["mse_a"], places=6)
            self.assertAlmostEqual(found["sed"]["sub_plot_means"], expected["sed"]["sub_plot_means"], places=6)
            by_level = {r["level"]: r["mean"] for r in found["sub_plot_means"]["table"]}
            for row in expected["sub_plot_means"]["table"]:
                self.assertAlmostEqual(by_level[row["level"]], row["mean"], places=6)
            _, out, err = run("analyse", str(turned), "--design", "split-plot")
            self.assertIn("entries taken as those of the whole plots; say --entries sub", err)

    def test_what_nobody_foresaw_is_said_without_a_traceback(self) -> None:
        with mock.patch("trialcore.formats.figures.designs.analyse", side_effect=ZeroDivisionError("float division by zero")):
            code, _, err = run("analyse", str(DATA / "rcbd_16x4.csv"))
        self.assertEqual((code, "Traceback" in err), (2, False))
        self.assertIn("these figures could not be calculated (float division by zero)", err)


class Shown(TestCase):
    """Every kind of record has the figures that pages show under one name."""

    FILES = (
        ("rcbd_16x4", "", "V01"),
        ("crd_unbalanced", "", "V01"),
        ("latin_6x6_missing", "", "V01"),
        ("alpha_24", "", "V01"),
        ("augmented_4c40", "", ""),
        ("splitplot_3x4", "", "V01"),
        ("met_plots_12x6x3", "", ""),
        ("shares_rcbd_10x4", "shares", ""),
        ("counts_rcbd_9x5", "counts", ""),
        ("scores_rcbd_10x4", "scores", ""),
        ("dates_rcbd_10x4", "dates", ""),
        ("keeping_6x3", "keeping", ""),
        ("covariate_rcbd_9x4", "covariate", ""),
        ("environments_8x3x3", "environments", ""),
        ("checks3_missing", "checks", ""),
        ("programme_6x2", "programme", ""),
        ("panel_wine", "panel", ""),
    )

    def test_every_kind(self) -> None:
        for name, kind, check in self.FILES:
            expected = json.loads((DATA / f"{name}.expected.json").read_text())
            checks = [check] if check else [expected["check"]] if expected.get("check") else expected.get("checks") or []
            wanted = checks[-1] if checks else None
            with self.subTest(name):
                arguments = [str(DATA / f"{name}.csv"), "--format", "json", *(["--kind", kind] if kind else [])]
                code, out, err = run("analyse", *arguments, *(["--check", ",".join(checks)] if checks else []))
                self.assertEqual(code, 0, err)
                shown = json.loads(out)["shown"]
                self.assertGreater(len(shown), 2)
                for row in shown:
                    self.assertGreaterEqual(
                        row.keys(),
                        {"entry", "mean", "difference", "lower95", "upper95", "expected_advantage", "chance", "n"},
                    )
                    if row["lower95"] is not None:
                        self.assertLessEqual(row["lower95"], row["difference"])
                        self.assertLessEqual(row["difference"], row["upper95"])
                means = {row["entry"]: row["mean"] for row in shown}
                if wanted and kind != "keeping":
                    told = [r for r in shown if r["difference"] is not None and r["entry"] != wanted]
                    self.assertTrue(told)
                    if kind not in ("programme", "environments", "covariate"):
                        for r in told:
                            self.assertAlmostEqual(r["difference"], r["mean"] - means[wanted], places=6)

    def test_pairs_of_many_entries_only_when_asked_for(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder, "many.csv")
            lines = [f"E{i:03},{r},{(i * 37 + int(r) * 11) % 101}" for i in range(90) for r in "12"]
            file.write_text("entry,rep,value\n" + "\n".join(lines))
            self.assertEqual(json.loads(run("analyse", str(file), "--format", "json")[1])["pairwise"], [])
            every = json.loads(run("analyse", str(file), "--format", "json", "--all-pairs")[1])["pairwise"]
            self.assertEqual(len(every), 90 * 89 // 2)
