"""The rules of the house."""

from pathlib import Path

from django.test import SimpleTestCase

from evarlo.testing.architecture import (
    ACTS,
    ORDER,
    ROOT,
    broken_rules,
    imports_of,
    left_unused,
    unreached_core,
    writes_in,
    writes_outside_acts,
)


class House(SimpleTestCase):
    def test_no_app_knows_a_later_one(self) -> None:
        self.assertEqual(broken_rules(), [])

    def test_every_app_has_its_place_in_the_order(self) -> None:
        apps = {p.parent.name for p in ROOT.glob("*/apps.py")}
        self.assertLessEqual(apps, set(ORDER))

    def test_nothing_but_a_module_of_acts_writes(self) -> None:
        self.assertEqual(writes_outside_acts(), [])

    def test_every_module_of_acts_is_there_and_writes(self) -> None:
        for app, modules in ACTS.items():
            for module in modules:
                self.assertTrue(list(writes_in(ROOT / app / f"{module}.py")), f"{app}/{module}")

    def test_nothing_is_left_that_nobody_uses(self) -> None:
        self.assertEqual(left_unused(), [])

    def test_every_module_of_the_core_is_reached_by_a_page_or_a_verb(self) -> None:
        self.assertEqual(unreached_core(), [])

    def test_migrations_stand_on_nothing_that_may_change(self) -> None:
        for file in ROOT.glob("*/migrations/*.py"):
            live = [module for module in imports_of(file) if module.split(".")[0] in ("evarlo", "trialcore")]
            self.assertEqual(live, [], file)

    def test_the_reader_of_imports_sees_those_inside_functions(self) -> None:
        self.assertIn("trialcore.layouts.bed", set(imports_of(ROOT / "trials" / "models.py")))

    def test_no_style_attribute_and_no_script_in_a_template(self) -> None:
        for template in ROOT.rglob("*.html"):
            text = template.read_text()
            self.assertNotIn(' style="', text, template)
            self.assertNotIn("<style", text, template)
            self.assertNotRegex(text, r"\son[a-z]+=", str(template))
            self.assertNotRegex(text, r"hx-(on|vals=.js)", str(template))
            self.assertNotRegex(text, r'hx-trigger="[^"]*\[', str(template))

    def test_no_line_of_a_template_is_too_long_to_read(self) -> None:
        for template in ROOT.rglob("*.html"):
            for number, line in enumerate(template.read_text().splitlines(), start=1):
                self.assertLessEqual(len(line), 132, f"{template}:{number}")

    def test_colours_are_tokens_and_styles_can_be_read(self) -> None:
        for file in (ROOT.parent / "frontend").glob("styles/*.css"):
            for number, line in enumerate(file.read_text().splitlines(), start=1):
                self.assertLessEqual(len(line), 132, f"{file}:{number}")
                if file.name != "tokens.css":
                    self.assertNotRegex(line, r"#[0-9a-fA-F]{3,8}\b", f"{file}:{number}")

    def test_no_page_leaves_a_path_or_a_note_in_the_code(self) -> None:
        for file in Path(ROOT).rglob("*.py"):
            if "tests" not in file.parts:
                self.assertNotRegex(file.read_text(), r"\b(TODO|FIXME|XXX)\b", str(file))
