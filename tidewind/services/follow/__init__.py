"""What follows a purchase: channels and buyers told, parcels followed, returns, requests."""

from tidewind.services.follow.announcing import tell_what_happened
from tidewind.services.follow.any_number import (
    NumberToFollow,
    follow_number,
    followed_numbers,
    look_at_followed,
    unfollow,
)
from tidewind.services.follow.asking_back import (
    BuyersReturn,
    BuyersWish,
    ask_back,
    buyers_return,
    return_rules,
    set_return_rules,
)
from tidewind.services.follow.blocking import block_address, blocked_addresses, stop_messages, unblock_address
from tidewind.services.follow.claims import all_claims, claim_letter, open_claim, send_claim, settle_claim
from tidewind.services.follow.codes import MEANINGS, explain_code, unknown_codes
from tidewind.services.follow.deeds import ask_carrier, letter_to_buyer, letter_to_carrier, see_to, tell_buyer
from tidewind.services.follow.mailing import held_messages, let_go
from tidewind.services.follow.message_log import Telling, message_log, set_telling, telling_of
from tidewind.services.follow.notices import subscribe_carriers, take_carrier_notice, take_notices
from tidewind.services.follow.parcels import events_of, take_events
from tidewind.services.follow.personal_data import Erasure, erase_person, personal_data
from tidewind.services.follow.polling import follow_parcels
from tidewind.services.follow.previewing import Sample, SampleAsked, sample, send_sample
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
    ReturnDone,
    ReturnRequest,
    all_returns,
    ask_again,
    ask_return,
    cancel_returns_of,
    close_return,
    follow_returns,
    has_photo,
    make_due_returns,
    photo_of_return,
    receive_return,
)
from tidewind.services.follow.seen_by_buyers import (
    BuyersView,
    SeenEvent,
    SeenShipment,
    SeenWish,
    buyers_view,
    way_of,
    way_of_order,
)
from tidewind.services.follow.stock_sync import StockSeen, exchange_stock, stock_seen
from tidewind.services.follow.story import story_of
from tidewind.services.follow.telling import labels_first, mail_label, send_due_news, tell_of_purchase, tell_of_void
from tidewind.services.follow.texts import day_in, language_of, languages, money_in, said_in, state_in
from tidewind.services.follow.troubles import following
from tidewind.services.follow.wishes import ask_wish, tell_wishes
from tidewind.services.follow.wording import kept_rules, save_rules, shipped_text
from tidewind.services.follow.write_backs import tell_again, write_backs

__all__ = [
    "MEANINGS",
    "BuyersReturn",
    "BuyersView",
    "BuyersWish",
    "Erasure",
    "NumberToFollow",
    "ReturnDone",
    "ReturnRequest",
    "Sample",
    "SampleAsked",
    "SeenEvent",
    "SeenShipment",
    "SeenWish",
    "StockSeen",
    "Telling",
    "TypedRequest",
    "all_claims",
    "all_returns",
    "approve_request",
    "ask_again",
    "ask_back",
    "ask_carrier",
    "ask_for_label",
    "ask_return",
    "ask_wish",
    "block_address",
    "blocked_addresses",
    "buyers_return",
    "buyers_view",
    "cancel_returns_of",
    "claim_letter",
    "close_return",
    "day_in",
    "decline_request",
    "erase_person",
    "events_of",
    "exchange_stock",
    "explain_code",
    "follow_number",
    "follow_parcels",
    "follow_returns",
    "followed_numbers",
    "following",
    "forget_record",
    "has_photo",
    "held_messages",
    "kept_rules",
    "label_of_request",
    "labels_first",
    "language_of",
    "languages",
    "let_go",
    "letter_to_buyer",
    "letter_to_carrier",
    "link_by_key",
    "look_at_followed",
    "mail_label",
    "mail_requested_labels",
    "make_due_returns",
    "make_link",
    "message_log",
    "money_in",
    "open_claim",
    "personal_data",
    "photo_of_return",
    "receive_return",
    "request_by_view_key",
    "request_links",
    "return_rules",
    "said_in",
    "sample",
    "save_rules",
    "see_to",
    "send_claim",
    "send_due_news",
    "send_sample",
    "set_link",
    "set_return_rules",
    "set_telling",
    "settle_claim",
    "shipped_text",
    "state_in",
    "stock_seen",
    "stop_messages",
    "story_of",
    "subscribe_carriers",
    "take_carrier_notice",
    "take_events",
    "take_notices",
    "tell_again",
    "tell_buyer",
    "tell_of_purchase",
    "tell_of_void",
    "tell_what_happened",
    "tell_wishes",
    "telling_of",
    "unblock_address",
    "unfollow",
    "unknown_codes",
    "usual_days",
    "waiting_requests",
    "way_of",
    "way_of_order",
    "work_out",
    "write_backs",
]
