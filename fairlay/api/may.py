"""Who may do what: the one table that every call is held against.

A call that stands in no row is refused to everybody. ``docs/who-may-do-what.md`` is made from this table.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from fairlay.store.people import ROLES, Role

ALL: Final[frozenset[Role]] = frozenset(ROLES)
PLAN: Final[frozenset[Role]] = frozenset({"owner", "planner"})
WORK: Final[frozenset[Role]] = frozenset({"owner", "planner", "cutter"})
OWN: Final[frozenset[Role]] = frozenset({"owner"})


@dataclass(frozen=True)
class Row:
    """What some roles may do: in words, and by which calls. Those in ``changes`` are written down with whose
    doing they are, in words; those in ``asks`` change nothing of the shop's. ``anyone``: before signing in.
    """

    what: str
    roles: frozenset[Role]
    asks: frozenset[str] = frozenset()
    changes: Mapping[str, str] = field(default_factory=dict)
    anyone: bool = False
    at_bench: bool = True
    """Whether it may be done on a bench tablet, signed in by PIN."""


def _row(
    what: str,
    roles: frozenset[Role],
    asks: str = "",
    changes: Mapping[str, str] | None = None,
    *,
    anyone: bool = False,
    at_bench: bool = True,
) -> Row:
    return Row(what, roles, frozenset(asks.split()), changes or {}, anyone, at_bench)


TABLE: Final[tuple[Row, ...]] = (
    _row(
        "see that it is up, and sign in",
        ALL,
        "health me sign_in sign_in_at_bench make_password at_this_bench",
        anyone=True,
    ),
    _row(
        "be signed in: see who else is here, sign out",
        ALL,
        "here sign_out sign_out_everywhere",
    ),
    # A PIN is short, and pressed where others look on: it never makes a password.
    _row(
        "change one's own password",
        ALL,
        "change_own_password",
        at_bench=False,
    ),
    _row(
        "look at patterns, leather, batches and lays, and take them out as files",
        ALL,
        """drawers starts one_article on_the_rack revisions what_changed article_file shapes scale
        squared_page drawing sorted_drawing traced_picture picture camera rack one_hide hide_history take_out
        worth_of all_deliveries one_delivery tags markers table_camera check_page camera_checked camera_check
        get_settings all_articles all_batches one_batch all_lays one_lay earlier_revisions lay_events export
        one_job to_cut one_cut cut_placing cut_states left_of_hide cut_docket cut_labels cut_print cut_plot
        cut_choices cut_pace where_leather_went book_by closed_hides book_batch learned_figures all_notes
        book_csv month_page buying_sources all_forecasts one_forecast shop_prices article_costing
        where_it_went most_possible proofs_of_lay questions what_ifs one_answer propose_leather events
        deeds_of
        """,
    ),
    _row(
        "measure and look leather over",
        WORK,
        "mend known_again read_gauge",
        {
            "change_hide": "changed what is known of a hide",
            "undo_change": "took a change of a hide back",
            "photograph": "photographed the table",
            "look_at_pictures": "had pictures of a hide read",
            "check_camera": "checked the camera with a page of known size",
            "look_at_drawing": "had a hide's outline read from a drawing",
            "measure_by_rule": "measured a hide by rule",
            "leave_seen": "left what pictures of a hide showed",
            "accept": "took what pictures of a hide showed",
            "act_on_many": "changed several hides",
        },
    ),
    _row(
        "lay: have it laid, move pieces, pin, undo and name",
        WORK,
        "hand_ground hand_why hand_angle hand_spot ask_what_if prove templates_found",
        {
            "run": "had a lay laid",
            "photograph_templates": "photographed the templates on a hide",
            "read_templates": "had a picture of templates read against a lay",
            "move_by_hand": "moved pieces of a lay",
            "push_together": "pushed pieces together",
            "swap_pieces": "swapped two pieces",
            "turn_piece_over": "turned a piece over",
            "copy_arrangement": "laid an arrangement once more",
            "take_answer": "took what a lay comes to when it is asked otherwise",
            "ask_now": "asked a lay otherwise",
            "sign_for": "signed for a piece that lies against a rule",
            "undo": "took a change of a lay back",
            "redo": "took an undo of a lay back",
            "go_to": "went back to an earlier lay",
            "name_revision": "named a lay",
            "pin": "pinned pieces of a lay",
            "onto_leather_now": "brought a lay onto its leather",
            "onto_batch_now": "brought a lay onto what its batch orders",
            "take_waiting": "took a lay that waited",
            "leave_waiting": "left a lay that waited",
            "stop": "stopped a job",
        },
    ),
    _row(
        "cut: begin a hide, tick at the bench, recut and close it",
        WORK,
        "calibrate_projector",
        {
            "begin_cut": "began to cut a hide",
            "tick_pieces": "ticked pieces at the bench",
            "recut_piece": "had a spoilt piece cut again",
            "close_hide": "closed a hide that was cut",
        },
    ),
    _row(
        "keep notes, and put them away",
        WORK,
        "",
        {"add_note": "kept a note", "put_note_away": "put a note away"},
    ),
    _row(
        "practise: rounds, and one's own record",
        ALL,
        "practice_record begin_round one_round touch_hide end_round round_result compare_lay",
    ),
    _row(
        "forecast what to buy and what articles cost, and take what records teach",
        PLAN,
        "",
        {
            "begin_forecast": "forecast what to buy",
            "begin_costing": "had an article costed",
            "take_learned": "took a learned figure",
            "decide_hide": "said whether a closed hide counts",
            "note_to_revision": "made a revision of a note",
            "put_prices": "changed what else than leather costs",
            "put_class_worth": "changed what leather of each class is worth",
        },
    ),
    _row("say how the shop cuts", PLAN, "", {"choose_cut": "changed how the shop cuts"}),
    _row(
        "receive leather, and send it back",
        PLAN,
        "claim",
        {
            "begin_delivery": "began a delivery",
            "change_delivery": "changed a delivery",
            "receive_hides": "received hides",
            "send_back": "sent a hide back",
        },
    ),
    _row(
        "make and change patterns",
        PLAN,
        "begin_with draw_shape whole_of_half read_drawing sort_drawing trace_picture",
        {
            "add_drawer": "made an article",
            "save_article": "changed an article",
            "remove_article": "removed an article",
            "new_revision": "began a revision",
            "bring_in": "brought a file in",
            "article_from_file": "made an article of a file",
            "take_picture": "took a picture of a part",
        },
        at_bench=False,
    ),
    _row(
        "plan batches, choose their leather, begin lays and give them up",
        PLAN,
        "read_order_table",
        {
            "add_batch": "made a batch",
            "change_batch": "changed what a batch orders",
            "stand_batch": "held a batch, took it up again or gave it up",
            "copy_batch": "ordered a batch once more",
            "change_leather": "changed the leather of a batch",
            "begin_lay": "began a lay",
            "give_up": "gave a lay up",
            "take_up_again": "took a lay up again",
        },
    ),
    _row(
        "see who did what",
        PLAN,
        "all_deeds",
        at_bench=False,
    ),
    _row(
        "set the shop's choices, and keep its people, benches and copies",
        OWN,
        "all_people all_benches all_copies get_keeping whole_workshop",
        {
            "put_settings": "set the shop's choices",
            "put_keeping": "chose what is kept, and how long",
            "add_person": "made an account",
            "change_person": "changed an account",
            "new_code": "made a code for a new password",
            "set_pin": "set a PIN",
            "end_sessions": "signed somebody out everywhere",
            "tie_bench": "tied a tablet to a bench",
            "untie_bench": "untied a bench's tablet",
        },
        at_bench=False,
    ),
)
PRACTISED: Final = frozenset(
    [
        "hand_ground",
        "hand_why",
        "hand_angle",
        "hand_spot",
        "move_by_hand",
        "push_together",
        "swap_pieces",
        "turn_piece_over",
        "copy_arrangement",
        "undo",
        "redo",
        "go_to",
        "pin",
    ]
)
"""What anybody may do with a lay that they practise on, whoever may do it with the shop's."""
BY_CALL: Final[Mapping[str, Row]] = {call: row for row in TABLE for call in (*row.asks, *row.changes)}
SAYS: Final[Mapping[str, str]] = {call: words for row in TABLE for call, words in row.changes.items()}
SUBJECTS: Final[Mapping[str, str]] = {
    "hide_id": "hide",
    "delivery_id": "delivery",
    "article_id": "article",
    "file_id": "file",
    "batch_id": "batch",
    "lay_id": "lay",
    "job_id": "job",
    "person_id": "person",
    "bench_id": "bench",
}


def may(role: Role, call: str, at_bench: bool = False) -> bool:
    """Whether a role may make a call."""
    row = BY_CALL.get(call)
    return row is not None and role in row.roles and (row.at_bench or not at_bench)


def as_page() -> str:
    """Return the table as a page of the handbook."""
    head = "| what | " + " | ".join(ROLES) + " | at a bench |\n"
    rule = "| --- |" + " --- |" * (len(ROLES) + 1) + "\n"
    rows = "".join(
        f"| {row.what} | "
        + " | ".join("yes" if role in row.roles else "" for role in ROLES)
        + f" | {'yes' if row.at_bench else ''} |\n"
        for row in TABLE
    )
    return (
        "# Who may do what\n\nMade from the table that every call is held against (`fairlay/api/may.py`). "
        "A call that stands in no row is refused to everybody.\n\n" + head + rule + rows
    )
