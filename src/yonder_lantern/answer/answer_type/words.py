"""Words by which things are told, of all languages together: a question may be in any of them."""

NUMBERS = (
    "one|two|three|four|five|six|seven|eight|nine|ten|eleven|twelve|fifteen|twenty|thirty|forty"
    "|fifty|sixty|seventy|eighty|ninety|hundred|thousand"
    "|zwei|drei|vier|fünf|sechs|sieben|acht|neun|zehn|elf|zwölf|fünfzehn|zwanzig|dreißig|vierzig"
    "|fünfzig|sechzig|hundert|tausend"
    r"|\w+und(?:zwanzig|dreißig|vierzig|fünfzig|sechzig|siebzig|achtzig|neunzig)"
    "|deux|trois|quatre|cinq|sept|huit|neuf|dix|onze|douze|quinze|vingt|trente|quarante|cinquante"
)
MONTHS = (
    "january|february|march|april|may|june|july|august|september|october|november|december"
    "|januar|februar|märz|mai|juni|juli|oktober|dezember"
    "|janvier|février|mars|avril|juin|juillet|août|septembre|octobre|novembre|décembre"
)
DAYS = (
    "monday|tuesday|wednesday|thursday|friday|saturday|sunday"
    "|montags?|dienstags?|mittwochs?|donnerstags?|freitags?|samstags?|sonntags?|werktags"
    "|lundi|mardi|mercredi|jeudi|vendredi|samedi|dimanche"
)
SPANS = (
    "seconds?|minutes?|hours?|days?|nights?|weeks?|fortnights?|months?|years?|seasons?"
    "|sekunden?|minuten?|stunden?|tage[ns]?|nächten?|wochen?|monate?[ns]?|jahre?[ns]?"
    "|secondes?|heures?|jours?|nuits?|semaines?|mois|ans|années?"
)
SIZES = (
    r"(?:m|metres?|meters?|metern|mètres?|km|kilometres?|miles?|cm|centimetres?|mm|feet|foot"
    r"|inch(?:es)?)\b"
)
COLOURS = (
    "(?:red|orange|amber|yellow|green|blue|violet|purple|pink|brown|black|white|gr[ae]y|silver|gold"
    "|rot|gelb|grün|blau|lila|braun|schwarz|weiß|grau"
    "|rouge|jaune|verte?|bleue?|violette?|brune?|noire?|blanc(?:he)?|grise?)(?:e[nrsm]?|s)?"
)
PLACES = (
    "offices?|doors?|gates?|gatehouse|buildings?|rooms?|halls?|floor|streets?|roads?|lane|counter|desk"
    "|shops?|stores?|sheds?|huts?|yard|stations?|towers?|bridges?|houses?|squares?|corners?|entrance"
    "|beach|island|bay|river|towns?|city|village|park|garden|kitchen|cupboards?|shel(?:f|ves)|drawers?"
    "|box(?:es)?|cages?|bins?|racks?|hooks?|walls?|end|side|root|ground|quays?|berths?|docks?|piers?"
    "|pontoons?|ladders?|cabin|miles?|outside|ashore|page|section"
    "|büros?|tür|tor|gebäude|zimmer|halle|straße|laden|turm|brücke|haus|platz|ecke|eingang|strand|ufer"
    "|hafen|stadt|schrank|regal|wand|ende|kai|steg|seite"
    "|bureau|porte|bâtiment|salle|rue|magasin|tour|pont|maison|coin|entrée|plage|rive|port|ville"
    "|armoire|étagère|mur|bout|quai|ponton|page"
)
# What does not name a thing: it ends the words that do.
SMALL = (
    "can|could|may|might|must|shall|should|will|would|are|is|was|were|be|been|do|does|did|has|have|had"
    "|there|in|on|at|of|for|to|from|with|by|per|a|an|the|and|or|it|he|she|they|we|you|i|my|your|our|this"
    "|that|these|those|fit|if|when"
    "|können|darf|dürfen|muss|müssen|sind|ist|war|waren|gibt|hat|haben|der|die|das|im|es|man"
    "|peut|peuvent|doit|sont|est|était|y|ont|il|elle|on|du|des|les|le|la|à|en|dans|par"
)
ANY_PEOPLE = "people|persons?|leute|menschen|personen|personnes|gens"
PEOPLE = (
    f"{ANY_PEOPLE}|men|women|children|visitors?|guests?|passengers?|members?|staff|crew|customers?"
    "|users?|employees?|workers?|volunteers?|pupils?|students?|adults?|residents?|hands"
    "|kinder|gäste|besucher|mitglieder|fahrgäste|mitarbeiter"
    "|enfants|visiteurs|membres|passagers|employés"
)
