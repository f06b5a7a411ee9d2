"""SQL over HTTP: as whoever asks, in the models a token reaches, every statement in the trail (channels.md)."""

from moorland.server.trail.models import Entry
from tests.server.conftest import Session
from tests.server.duties import LEAF, Sessions, given, people
from tests.server.test_ways_in import Program, token_of

ENERGY = {"sql": "select energy, count(*) from run"}


def test_a_statement_gives_what_whoever_asks_sees(as_user: Sessions, boss: Session) -> None:
    assert as_user("ann").ok("POST", "my/sql", ENERGY)["rows"] == [[500.0, 2]]
    told = boss.ok("POST", "my/sql", {"sql": "select id, rent from site where area = $1 order by id", "parameters": ["fell"]})
    assert (told["columns"][1], told["rows"]) == ({"name": "rent", "type": "number"}, [[1, 10.0], [3, 30.0]])
    entry = Entry.objects.filter(action="ask", actor="boss").first()
    assert entry is not None and entry.details["statement"].startswith("select id, rent")


def test_what_is_wrong_is_said_with_the_standards_code_and_place_the_same_for_hidden_and_unknown(as_user: Sessions) -> None:
    ann = as_user("ann")
    hidden, unknown = (ann.call("POST", "my/sql", {"sql": f"select {name} from site"}) for name in ("rent", "rant"))
    assert str(hidden).replace("current", "").replace("rent", "…") == str(unknown).replace("current", "").replace("rant", "…")
    assert (hidden[0], hidden[1]["error"]["problems"][0]["code"], hidden[1]["error"]["problems"][0]["start"]) == (422, "42703", 7)


def test_who_stands_in_asks_as_the_other_and_both_names_are_in_the_trail(as_user: Sessions) -> None:
    given("portal", ["stand-in"], people(LEAF))
    program = Program(token_of(as_user("portal"), "stand-in"), **{"Moorland-As": "ann"})
    assert program.call("POST", "my/sql", ENERGY)[1]["rows"] == [[500.0, 2]]
    entry = Entry.objects.filter(action="ask", actor="portal").first()
    assert entry is not None and entry.details["as"] == "ann"


def test_a_token_names_only_what_is_in_its_models(boss: Session) -> None:
    status, told = Program(token_of(boss, "read", models=["other"])).call("POST", "my/sql", ENERGY)
    assert (status, told["error"]["message"]) == (422, 'relation "run" does not exist')
