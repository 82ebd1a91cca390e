"""What the words of the pages mean, and how the work goes: the help."""

from __future__ import annotations

STAGES = (
    (
        "Plan",
        "A question, the entries and the ground become a layout of plots. Say the crop and how many entries: a "
        "plan stands at once, and everything underlined can be changed. Fix the layout before stakes go in.",
    ),
    (
        "Sow",
        "Seed goes into trays or plots; each sitting is kept with its day, person and lot. Count what comes up; "
        "every loss has a cause.",
    ),
    (
        "Plant",
        "Plants fit against plants needed. What was not alike for all entries is said, and stays said.",
    ),
    (
        "Walk",
        "A round asks one or a few traits of every plot. It works without a signal: records lie on the phone and go in later.",
    ),
    (
        "Pick",
        "Weights and pieces by plot, day and class, with a scale or by hand.",
    ),
    (
        "Compare",
        "Every entry against the check, with what could be luck. The questions stand on top.",
    ),
    (
        "Decide",
        "Recommend, retest or drop each entry; sign. The verdicts begin the next season.",
    ),
)
GLOSSARY = (
    (
        "Entry",
        "What is compared in a trial: a cultivar, or a treatment of one. It has a code, so that who scores need not know its name.",
    ),
    ("Cultivar", "A cultivated variety, by its name, with all other names under which it is sold."),
    ("Check", "The entry that the others have to beat: a cultivar that is known well."),
    ("Plot", "The piece of ground on which one entry stands once."),
    ("Replicate", "Each further time that an entry stands in the trial. Without it luck cannot be told from the cultivar."),
    ("Block", "Plots on ground of one kind that are compared with each other. A complete block holds every entry once."),
    ("Incomplete block", "A block that holds some of the entries; used where there are many."),
    ("Trait", "What is measured, counted or scored, how, and which way round is better."),
    ("Criterion", "A trait by which a trial is decided, with the smallest difference that matters."),
    ("Must-have", "A bound that an entry has to keep, however good it is otherwise."),
    (
        "F1, F2 …",
        "The generations after a cross: F1 plants are alike, F2 plants each different, and with every selfing half is left.",
    ),
    ("Fixed", "Having two like alleles at a gene, so that all offspring from its own pollen are alike in it."),
    ("Sister plants", "Plants grown from seed of one plant or one cross."),
    ("Remnant seed", "What is left of a lot after sowing, kept so that a lost generation can be grown again."),
    ("Off-type", "A plant that is unlike its line and is pulled."),
    ("Stand", "The plants that live in a plot, counted."),
    ("Bolting", "Going to flower before the crop is ready."),
    ("Lodging", "Falling over."),
    ("Marketable", "Of a quality that can be sold; the rest are culls, each for a reason."),
    ("LS mean", "The mean of an entry as if it had stood in every block: fair where plots are missing."),
    ("Standard error", "How far an estimate may be off by luck, as one typical step."),
    ("95 % interval", "Made so that the true value lies in it in 19 of 20 such trials."),
    ("Could be luck", "The difference from the check is no larger than chance alone makes often enough."),
    (
        "Least significant difference",
        "The smallest difference of two entries that chance alone makes in fewer than 1 of 20 trials.",
    ),
    ("Chance that it is better", "What is believed after the trial, allowing for the best of many looking better than it is."),
    ("CV", "How much plots of one entry differ, in per cent of the mean."),
    ("Covariate", "Something else that differed, such as the stand, by which means can be set level."),
    ("Observation only", "One plot an entry: seen, and never judged."),
    ("Blind", "Who scores sees codes, not names, until the trial is opened."),
    ("Retest", "Neither good enough nor bad enough to be sure; another season would tell."),
    ("Round", "One walk through the plots for a trait."),
    ("Lot", "Seed of a cultivar from one harvest and supplier, with its stock."),
    ("Degree days", "Warmth added up over days, above the temperature at which a crop grows."),
)
