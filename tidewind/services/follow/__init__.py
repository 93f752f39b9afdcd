"""What follows a purchase: channels and buyers told, parcels followed, returns, requests."""

from tidewind.services.follow.codes import MEANINGS, explain_code, unknown_codes
from tidewind.services.follow.deeds import ask_carrier, letter_to_buyer, letter_to_carrier, see_to, tell_buyer
from tidewind.services.follow.parcels import events_of, follow_parcels, public_view, take_events
from tidewind.services.follow.personal_data import Erasure, erase_person, personal_data
from tidewind.services.follow.record import forget_record, usual_days, work_out
from tidewind.services.follow.requests import (
    TypedRequest,
    approve_request,
    ask_for_label,
    decline_request,
    label_of_request,
    link_by_key,
    mail_requested_labels,
    make_link,
    request_by_view_key,
    request_links,
    set_link,
    waiting_requests,
)
from tidewind.services.follow.returns import (
    ReturnRequest,
    all_returns,
    ask_return,
    cancel_returns_of,
    close_return,
    follow_returns,
    make_due_returns,
)
from tidewind.services.follow.telling import labels_first, mail_label, send_due_news, tell_of_purchase, tell_of_void
from tidewind.services.follow.texts import day_in, language_of, languages, said_in, state_in
from tidewind.services.follow.troubles import following

__all__ = [
    "MEANINGS",
    "Erasure",
    "ReturnRequest",
    "TypedRequest",
    "all_returns",
    "approve_request",
    "ask_carrier",
    "ask_for_label",
    "ask_return",
    "cancel_returns_of",
    "close_return",
    "day_in",
    "decline_request",
    "erase_person",
    "events_of",
    "explain_code",
    "follow_parcels",
    "follow_returns",
    "following",
    "forget_record",
    "label_of_request",
    "labels_first",
    "language_of",
    "languages",
    "letter_to_buyer",
    "letter_to_carrier",
    "link_by_key",
    "mail_label",
    "mail_requested_labels",
    "make_due_returns",
    "make_link",
    "personal_data",
    "public_view",
    "request_by_view_key",
    "request_links",
    "said_in",
    "see_to",
    "send_due_news",
    "set_link",
    "state_in",
    "take_events",
    "tell_buyer",
    "tell_of_purchase",
    "tell_of_void",
    "unknown_codes",
    "usual_days",
    "waiting_requests",
    "work_out",
]
