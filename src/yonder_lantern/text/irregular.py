"""English words whose forms no rule for endings leads back to one."""

_FORMS = """
arise arose arisen|awake awoke awoken|bear borne|beat beaten|become became|begin began begun
bend bent|bite bit bitten|bleed bled|blow blew blown|break broke broken|breed bred|bring brought
build built|burn burnt|buy bought|catch caught|choose chose chosen|cling clung|come came|creep crept
deal dealt|dig dug|do did done|draw drew drawn|dream dreamt|drink drank drunk|drive drove driven
eat ate eaten|fall fallen|feed fed|fight fought|find found|flee fled|fling flung|fly flew flown
forbid forbade forbidden|forecast|forget forgot forgotten|forgive forgave forgiven
freeze froze frozen|get got gotten|give gave given
go went gone|grow grew grown|hang hung|have had|hear heard
hide hid hidden|hold held|keep kept|kneel knelt|know knew known|lay laid|lead led|lean leant
leap leapt|learn learnt|lend lent|lie lain|light lit|lose lost|make made|mean meant|meet met
mistake mistook mistaken|mow mown|overcome overcame|pay paid|prove proven|ride rode ridden
ring rang rung|rise risen|run ran|say said|see seen|seek sought|sell sold|send sent|sew sewn
shake shook shaken|shine shone|shoot shot|show shown|shrink shrank shrunk|sing sang sung
sink sank sunk|sit sat|sleep slept|slide slid|smell smelt|sow sown|speak spoken|speed sped
spell spelt|spend spent|spill spilt|spin spun|spit spat|split|spoil spoilt|spring sprang sprung
stand stood|steal stole stolen|stick stuck|sting stung|stink stank|strike struck stricken
strive strove striven|swear swore sworn|sweep swept|swell swollen|swim swam swum|swing swung
take took taken|teach taught|tear torn|tell told|think thought|throw threw thrown
understand understood|undertake undertook undertaken|wake woke woken|wear wore worn|weave wove woven
weep wept|win won|withdraw withdrew withdrawn|wring wrung|write wrote written
child children|man men|woman women|foot feet|tooth teeth|goose geese|mouse mice|half halves
knife knives|life lives|leaf leaves|shelf shelves|wolf wolves|thief thieves|loaf loaves
die dying|tie tying|vie vying|untie untying
"""
_WORDS = (row.split() for row in _FORMS.replace("\n", "|").split("|"))
IRREGULAR = {form: row[0] for row in _WORDS for form in row[1:]}
