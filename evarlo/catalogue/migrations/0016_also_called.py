"""Under which other names shipped crops are known; a crop that somebody gave names keeps those."""

from django.db import migrations

ALSO = {
    "Aubergine": "eggplant, brinjal, melongene, berenjena, melanzana, patlican",
    "Beetroot": "beet, red beet, table beet, garden beet, Rote Bete, betterave, remolacha, barbabietola, kroot",
    "Broad bean": "fava bean, faba bean, field bean, horse bean, Ackerbohne, Dicke Bohne, fève, haba, fava, tuinboon",
    "Broccoli": "calabrese, sprouting broccoli, Brokkoli, brocoli, brécol",
    "Bulb fennel": "fennel, Florence fennel, finocchio, Fenchel, Knollenfenchel, fenouil, hinojo, venkel",
    "Brussels sprout": "sprouts, Rosenkohl, chou de Bruxelles, col de Bruselas, spruit",
    "Cabbage": "white cabbage, head cabbage, red cabbage, savoy, Kohl, Weißkohl, chou, repollo, cavolo, kool",
    "Carrot": "Möhre, Karotte, carotte, zanahoria, carota, wortel, peen",
    "Cauliflower": "Blumenkohl, Karfiol, chou-fleur, coliflor, cavolfiore, bloemkool",
    "Celeriac": "celery root, turnip-rooted celery, Knollensellerie, Sellerie, céleri-rave, apionabo, knolselderij",
    "Chard": "Swiss chard, leaf beet, silverbeet, Mangold, blette, acelga, bietola, snijbiet",
    "Chilli": "chili, chile, chilli pepper, hot pepper, Peperoni, piment, guindilla, peperoncino",
    "Cucumber": "slicing cucumber, gherkin, pickling cucumber, Gurke, concombre, cornichon, pepino, cetriolo, komkommer",
    "Edamame soybean": "edamame, soybean, soya, soya bean, vegetable soybean, Soja, Sojabohne, soja",
    "Endive": "escarole, frisée, curly endive, Endivie, chicorée frisée, escarola, andijvie",
    "Kale": "borecole, curly kale, collards, Grünkohl, chou frisé, col rizada, cavolo nero, boerenkool",
    "French bean": "green bean, snap bean, string bean, bush bean, dwarf bean, common bean, haricot, Buschbohne, "
    "Gartenbohne, judía verde, fagiolino, sperzieboon",
    "Garlic": "Knoblauch, ail, ajo, aglio, knoflook",
    "Garden pea": "pea, shelling pea, snow pea, sugar snap, mangetout, Erbse, petit pois, pois, guisante, pisello, erwt",
    "Globe artichoke": "artichoke, Artischocke, artichaut, alcachofa, carciofo, artisjok",
    "Kohlrabi": "turnip cabbage, Kohlrabi, chou-rave, colinabo, cavolo rapa, koolrabi",
    "Leek": "Lauch, Porree, poireau, puerro, porro, prei",
    "Lettuce": "salad, head lettuce, butterhead, cos, romaine, iceberg, Salat, Kopfsalat, laitue, lechuga, lattuga, sla",
    "Lima bean": "butter bean, Limabohne, haricot de Lima, judía de Lima",
    "Melon": "muskmelon, cantaloupe, honeydew, Melone, melón, melone, meloen",
    "Okra": "lady's finger, gumbo, bhindi, gombo, quimbombó",
    "Onion": "bulb onion, Zwiebel, oignon, cebolla, cipolla, ui",
    "Parsnip": "Pastinake, panais, chirivía, pastinaca, pastinaak",
    "Potato": "spud, Kartoffel, Erdapfel, pomme de terre, patata, papa, aardappel",
    "Pumpkin": "winter squash, Kürbis, potiron, courge, calabaza, zucca, pompoen",
    "Radicchio": "red chicory, Italian chicory, chicory, Radicchio, chicorée rouge, achicoria roja",
    "Radish": "garden radish, Radieschen, radis, rábano, rabanito, ravanello, radijs",
    "Rhubarb": "pie plant, Rhabarber, rhubarbe, ruibarbo, rabarbaro, rabarber",
    "Runner bean": "scarlet runner, stick bean, Feuerbohne, haricot d'Espagne, judía pinta, pronkboon",
    "Spinach": "Spinat, épinard, espinaca, spinacio, spinazie",
    "Storage daikon": "daikon, mooli, white radish, winter radish, Rettich, radis blanc, rábano blanco, rammenas",
    "Summer squash": "courgette, zucchini, marrow, vegetable marrow, squash, pattypan, Zucchino, calabacín, zucchine",
    "Sweet corn": "corn, maize, sweetcorn, corn on the cob, Zuckermais, Mais, maïs doux, maíz dulce, mais dolce",
    "Sweet pepper": "pepper, bell pepper, capsicum, paprika, Paprikaschote, poivron, pimiento, peperone",
    "Tomato": "Tomate, tomate, pomodoro, tomaat, jitomate",
    "Turnip": "white turnip, Mairübe, Speiserübe, navet, nabo, rapa, meiraap",
}


def put_in(apps, schema_editor):
    Crop = apps.get_model("catalogue", "Crop")
    for crop in Crop.objects.filter(name__in=ALSO):
        if "also" not in crop.profile:
            crop.profile = {"also": ALSO[crop.name], **crop.profile}
            crop.save()


class Migration(migrations.Migration):
    dependencies = [("catalogue", "0015_judged")]
    operations = [migrations.RunPython(put_in, migrations.RunPython.noop)]
