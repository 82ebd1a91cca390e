"""What the columns of a sheet mean, by the names that people give them, in several languages."""

from __future__ import annotations

import re
import unicodedata

MEANINGS: dict[str, str] = {  # as a person chooses them
    "entry": "the entry (cultivar, treatment)",
    "plot": "the plot's number",
    "rep": "the block or replicate",
    "block": "an incomplete block within it",
    "row": "the row in the field",
    "col": "the column in the field",
    "factor2": "the level of a second factor",
    "site": "the place",
    "season": "the season",
    "date": "the day of a pick or look",
    "value": "a measured value",
    "note": "remarks, left out",
    "leave": "left out",
}

_NAMES: dict[str, str] = {
    "entry": "entry entries cultivar cultivars variety varieties genotype treatment line accession hybrid name sorte sorten "
    "sortenname variete varietes variedad variedades varieta ras rassen odmiana sort sorter nom nombre nome naam",
    "plot": "plot plots plotno plotnr plotid plotnumber parcel parzelle parzellennummer parzellennr parcelle parcela parcella "
    "perceel "
    "veldje poletko plot_no plot_id plot_number",
    "rep": "rep reps replicate replication block blocks blk complete_block wiederholung wdh whg wh block_nr repetition rept bloc "
    "repeticion bloque ripetizione blocco herhaling blok powtorzenie",
    "block": "incomplete_block sub_block subblock small_block teilblock sous_bloc subbloque",
    "row": "row rows reihe zeile ligne rang fila riga rij rzad",
    "col": "col column columns spalte colonne columna colonna kolom kolumna range",
    "factor2": "factor2 second_factor level factor_2 stufe niveau nivel livello",
    "site": "site location place standort ort lieu site_name lugar sitio sito luogo locatie environment env",
    "season": "season year jahr saison annee ano temporada anno stagione jaar seizoen",
    "date": "date datum fecha data day tag jour dia giorno dag picked picked_on harvest_date pick_date harvested erntedatum "
    "date_recolte fecha_cosecha weighed_on",
    "note": "note notes remark remarks comment comments bemerkung bemerkungen anmerkung remarque remarques observacion "
    "observaciones "
    "nota osservazioni opmerking",
    "leave": "total totals sum mean average avg rank summe mittel mittelwert somme moyenne suma media promedio totale "
    "gemiddelde som",
}
_BY_NAME = {name: meaning for meaning, names in _NAMES.items() for name in names.split()}
SUMMED = re.compile(
    r"(grand |overall |sub)?-?(total|totals|sum|sums|mean|means|average|avg|median|min|max|minimum|maximum|cv|cv ?%|lsd|"
    r"l\.?s\.?d\.?( ?5 ?%)?|"
    r"s\.?e\.?|s\.?e\.?d\.?|s\.?d\.?|std|stdev|summe|mittel|mittelwert|durchschnitt|gd ?5 ?%|somme|moyenne|"
    r"ecart[- ]type|suma|media|"
    r"promedio|totale|media generale|gemiddelde|som|totaal)( .*)?"
)
_ROMAN = {"i": "1", "ii": "2", "iii": "3", "iv": "4", "v": "5", "vi": "6", "vii": "7", "viii": "8"}
_REPLICATE = re.compile(
    r"(?:.*?[\s_,-])??(?:rep|replicate|replication|block|blk|wdh|whg|wh|wiederholung|bloc|bloque|repetition|r|"
    r"b)[.\s_-]*([0-9]{1,2}|[ivx]{1,4})"
)
_UNIT = re.compile(
    r"^(.*?)[\s,_]*(?:[(\[]\s*([^()\[\]]{1,12})\s*[)\]]|[\s,_](kg|g|t|lb|oz|cm|mm|m|%|°C|days|kg/m²|kg/m2|g/m²|g/m2|t/ha|kg/ha))$",
    re.I,
)


def plain_name(name: str) -> str:
    """A header without accents, capitals and signs: “Parzellen-Nr.” is parzellen_nr."""
    bare = "".join(c for c in unicodedata.normalize("NFKD", name.casefold()) if not unicodedata.combining(c))
    return re.sub(r"[^a-z0-9]+", "_", bare).strip("_")


def meaning_of(name: str) -> str:
    """What a header speaks for: a key of `MEANINGS`; empty where it is no known name."""
    plain = plain_name(name)
    shorter = re.sub(r"_(no|nr|number|id|name|nummer|num|code)$", "", plain)
    return _BY_NAME.get(plain) or _BY_NAME.get(shorter) or _BY_NAME.get(plain.replace("_", "")) or ""


def replicate_of(name: str) -> str:
    """The replicate that a column is for (“Rep 2”, “II”, “Yield R3”, “4”); empty where it is none."""
    folded = " ".join(name.casefold().split()).rstrip(".")
    if folded in _ROMAN:
        return _ROMAN[folded]
    if re.fullmatch(r"[1-9][0-9]?", folded):
        return folded
    found = _REPLICATE.fullmatch(folded)
    return _ROMAN.get(found[1], found[1].lstrip("0") if found[1].isdecimal() else "") if found else ""


def told_unit(name: str) -> tuple[str, str]:
    """A header as trait and unit: “Yield (kg)” is Yield in kg."""
    found = _UNIT.match(name.strip())
    if not found or not found[1].strip():
        return name.strip(), ""
    return found[1].strip(), (found[2] or found[3]).strip()


# Words in a trait's name of which less is better, in several languages.
_LESS = re.compile(
    r"bolt|lodg|disease|damag|rot\b|rott|mildew|rust|blight|aphid|pest|weed|crack|split|cull|loss|lost|dead|gap|miss(?!ing value)|"
    r"fault|defect|off.?type|days? to|date of|spot|scab|wilt|virus|slug|thrip|bitter|tough|schoss|krank|befall|schad|"
    r"lager|faul|verlust|"
    r"ausfall|maladie|degat|perte|montaison|verse|enferm|dano|perdida|pudric|malatt|danno|perdit|ziekte|schade|uitval",
    re.I,
)


def less_is_better(trait: str) -> bool:
    """Whether a trait by its name is one of which less is better: “bolted %”, “days to first pick”."""
    return bool(_LESS.search("".join(c for c in unicodedata.normalize("NFKD", trait) if not unicodedata.combining(c))))
