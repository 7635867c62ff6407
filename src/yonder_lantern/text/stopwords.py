"""Function words by language: they say which language it is, and find nothing."""

from __future__ import annotations

_RAW = {
    "en": """a about above after again against all am an and any are aren't as at be because
    been before being below between both but by can can't cannot could couldn't did didn't do
    does doesn't doing don't down during each few for from further had hadn't has hasn't have
    haven't having he her here hers herself him himself his how i i'm i've if in into is isn't
    it it's its itself just let's many may me might more most much must my myself no nor not of
    off on once only or other ought our ours ourselves out over own please same shall shan't she
    should shouldn't so some such than that that's the their theirs them themselves then there
    these they they're this those through to too under until up us very was wasn't we were
    weren't what what's when where which while who whom whose why will with won't would wouldn't
    you your yours yourself yourselves""",
    "de": """aber alle allem allen aller alles als also am an ander andere anderen auch auf aus
    bei bin bis bist da damit dann das dass daß dein deine dem den denn der des dessen dich die
    dies diese diesem diesen dieser dieses dir doch dort du durch ein eine einem einen einer
    eines er es euch euer für gegen habe haben hat hatte hier hinter ich ihm ihn ihnen ihr ihre
    ihrem ihren ihrer im in ins ist ja jede jedem jeden jeder jedes kann kein keine keinem
    keinen keiner können könnte man mein meine mich mir mit muss muß müssen nach nicht noch nun
    nur ob oder ohne sehr sein seine seinem seinen seiner seit sich sie sind so soll sollen
    sollte über um und uns unser unter viel vom von vor war waren warum was weil welche welchem
    welchen welcher welches wenn wer werden wie wieder will wir wird wo wurde wurden zu zum zur
    zwischen darf dürfen etwas gibt habt hatten hätte immer jemand mehr niemand schon viele
    vielen wann wem wen wessen weshalb wieso wieviel wieviele woher wohin würde würden""",
    "fr": """à afin ai ainsi alors après au aucun aucune aussi autre autres aux avant avec avez
    avoir avons c'est car ce cela celle celles celui ces cet cette ceux chaque chez comme
    comment d'un d'une dans de depuis des dont du elle elles en entre est et été être eux fait
    faut il ils je l'on la le les leur leurs lors lui ma mais me même mes moi mon ne nos notre
    nous on ont ou où par pas pendant peut plus pour pourquoi qu'il qu'on quand que quel quelle
    quelles quels qui sa sans se ses si son sont sous sur ta te tes toi ton tous tout toute
    toutes très tu un une vos votre vous y combien doit doivent laquelle lequel lesquelles
    lesquels peuvent puis quoi sera seront t-il t-elle t-on""",
    "es": """a al algo alguna algunas alguno algunos ante antes aquel aquella como con contra
    cual cuáles cuál cuando cuándo de del desde donde dónde dos durante e el él ella ellas ellos
    en entre era eres es esa esas ese eso esos esta está están estas este esto estos fue ha hace
    hasta hay la las le les lo los más me mi mis mucho muy nada ni no nos nosotros o os otra
    otras otro otros para pero por porque qué que quien quién se sea ser si sí sin sobre son su
    sus también cuanta cuantas cuanto cuantos cuánta cuántas cuánto cuántos tan tanto te tiene
    toda todas todo todos tu tus un una unas uno unos usted ya yo y""",
    "it": """a ad ai al alla alle allo anche ancora avere c'è che chi ci come con contro cosa
    cui da dagli dai dal dalla dalle dallo degli dei del della delle dello di dopo dove due e è
    ed era essere fra gli ha hanno ho i il in io la le lei li lo loro lui ma mi mio molto ne
    negli nei nel nella nelle nello noi non nostro o ogni per perché più poi prima può qual
    quale quali quando quanta quante quanti quanto quella quelle quelli quello questa queste
    questi questo se sei senza si sia sono sopra sotto su sua sue sugli sui sul sulla sulle suo
    tra tu tutti tutto un una uno vi voi""",
    "nl": """aan al alle als altijd ander andere ben bij bent daar dan dat de der deze die dit
    doch doen door dus een en er ge geen haar had heb hebben heeft hem het hier hij hoe hoeveel
    hun iemand iets ik in is ja je kan kon kunnen maar me meer men met mij mijn moet na naar
    niet niets nog nu of om onder ons ook op over reeds te tegen toch toen tot u uit uw van veel
    voor waarom wanneer want waren was wat we welke werd wezen wie wij wil worden wordt zal ze
    zelf zich zij zijn zo zonder zou""",
    "pt": """a ao aos aquela aquele as até com como da das de dela dele do dos e é ela elas ele
    eles em entre era essa esse esta está estas este estes eu foi for há isso isto já lhe mais
    mas me mesmo meu minha muito na não nas nem no nos nós o onde os ou para pela pelas pelo
    pelos por porque qual quais quando quanta quantas quanto quantos quê que quem são se sem ser
    seu seus só sua suas também te tem têm um uma umas uns você vocês""",
    "sv": """alla allt att av blev bli blir de dem den denna deras dess det detta dig din där då
    efter ej eller en er ett från för ha hade han hans har henne hennes hon honom hur här i icke
    inom inte jag ju kan kunde man med mellan men mig min mot mycket ni nu när någon något och
    om oss på sig sin själv skulle som så till under upp ut utan var vad vara varför vem vi vid
    vilka vilken vill än är över""",
}

# What stands before an apostrophe for a whole word: l'écluse, dell'acqua.
ELIDED: dict[str, frozenset[str]] = {
    "fr": frozenset("c d j jusqu l lorsqu m n puisqu qu quoiqu s t".split()),
    "it": frozenset("all c coll d dall dell l nell quest quell sull un".split()),
}

STOP_WORDS: dict[str, frozenset[str]] = {
    language: frozenset(raw.split()) for language, raw in _RAW.items()
}
