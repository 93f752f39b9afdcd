"""Every route of the API, and the roles that may use it."""

from __future__ import annotations

from datetime import datetime, timedelta

import httpx
from sqlalchemy.orm import Session

from tidewind.db.tables import Person, SignIn
from tidewind.db.tables.people import ROLES
from tidewind.services.people import digest
from tidewind.settings import DEMO_PASSWORD
from tidewind.web.access import COOKIE

_EVERYBODY = """
POST /api/me/password | GET /api/me/sessions | DELETE /api/me/sessions/{session_id} | POST /api/me/second-factor
PUT /api/me/second-factor | POST /api/me/second-factor/off
GET /api/me | POST /api/sign-out | GET /api/orders | GET /api/orders/{order_id} | GET /api/orders/picked | GET /api/orders/filters | GET /api/find
GET /api/orders/{order_id}/history | GET /api/batches/{batch_id} | GET /api/today | GET /api/places | GET /api/packaging
GET /api/news | GET /api/import-samples/{name} | GET /api/channels | GET /api/channels/{code}/log | GET /api/channels/{code}/aside | GET /api/channels/{code}/stock | GET /api/views
POST /api/views | POST /api/following/views | DELETE /api/views/{view_id} | POST /api/presence | POST /api/presence/let-go | GET /api/snags
GET /api/differences | POST /api/differences/{difference_id}/keep-here | POST /api/plans/try | GET /api/layers | GET /api/rules | POST /api/rules/words
GET /api/rules/vocabulary | GET /api/rules/versions | GET /api/rules/file | GET /api/recipes | GET /api/promises
GET /api/work | GET /api/contacts | GET /api/addresses/suggest | POST /api/addresses/parse | GET /api/products
GET /api/carriers | GET /api/rate-card/example | GET /api/shop | GET /api/carriers/{code}/cards/{card_id} | GET /api/rate-card/schema
GET /api/orders/{order_id}/compare | POST /api/quote | POST /api/matrix | GET /api/checkout | GET /api/checkout/tables/file | POST /api/checkout/v1/offers | GET /api/checkout/v1/offers
GET /api/following | GET /api/following/views | GET /api/following/codes | GET /api/messages/rules | GET /api/claims | GET /api/followed | GET /api/write-backs | GET /api/returns/rules | GET /api/returns/{return_id}/photo.jpg | GET /api/messages/log | GET /api/messages/blocked | GET /api/orders/{order_id}/telling | GET /api/orders/{order_id}/story | GET /api/orders/{order_id}/way | GET /api/products/file | GET /api/restricted | GET /api/restricted/try | GET /api/clearances
GET /api/orders/{order_id}/photos | GET /api/photos/{photo_id} | GET /api/departures/photos | GET /api/packaging/stock | GET /api/packaging/orders | GET /api/departures | POST /api/departures/ways | GET /api/drop-off-points | GET /api/pickups | GET /api/batches | GET /api/returns | GET /api/orders/{order_id}/customs | GET /api/customs/codes | GET /api/customs/estimate | GET /api/customs/words | GET /api/customs/tables | GET /api/cover | GET /api/printing | GET /api/printing/template
"""
_BENCH = """
GET /api/labels.pdf | POST /api/labels.pdf | GET /api/packing-slips.pdf | GET /api/labels-and-slips.pdf | GET /api/customs-papers.pdf | GET /api/pick-list.pdf | GET /api/posting-list.pdf
GET /api/labels/pictures | GET /api/return-labels.pdf | GET /api/orders/{order_id}/test-label.pdf
GET /api/recipes/barcodes.pdf | POST /api/labels/printed | GET /api/prints | POST /api/prints
POST /api/prints/{job_id} | POST /api/printers/{code}/look | PUT /api/labels/{label_id}/number
GET /api/departures/take-along.pdf | POST /api/departures/close | POST /api/departures/count | POST /api/departures/count/back | POST /api/departures/hand-over | POST /api/departures/receipt | POST /api/packaging/orders/{order_id}/arrived
POST /api/returns/receive | GET /api/manifests/{number}.pdf | GET /api/manifests/{number}.json | GET /api/manifests/{number}.csv
GET /api/benches/{name} | POST /api/benches/{name}/scan | POST /api/benches/{name}/weigh | POST /api/benches/{name}/look
POST /api/benches/{name}/photos | GET /api/code-sheets/{what}.pdf | GET /api/bench/settings | PUT /api/packaging/{packaging_id}/stock
"""
_CARE = """
PUT /api/orders/{order_id}/address | POST /api/orders/held | POST /api/orders/notes | POST /api/orders/billing-name
POST /api/differences/{difference_id} | POST /api/contacts | DELETE /api/contacts/{contact_id} | POST /api/contacts/file
GET /api/following/{shipment_id}/buyer | POST /api/following/{shipment_id}/buyer | GET /api/following/{shipment_id}/carrier
POST /api/following/{shipment_id}/carrier | POST /api/following/{shipment_id}/seen-to | POST /api/messages/sample | POST /api/claims | GET /api/claims/{claim_id}/letter | POST /api/claims/{claim_id}/send | POST /api/claims/{claim_id}/settle | POST /api/followed | DELETE /api/followed/{followed_id} | POST /api/write-backs/{notice_id}/again | POST /api/messages/test | POST /api/messages/held | POST /api/messages/blocked
DELETE /api/messages/blocked/{address_id} | PUT /api/orders/{order_id}/telling | GET /api/contacts/file | POST /api/returns | POST /api/returns/{return_id}/close | POST /api/returns/{return_id}/again
"""
_SHIP = """
POST /api/pickups | POST /api/packaging/orders | POST /api/pickups/{pickup_id}/cancel | GET /api/pickups/{pickup_id}/chase | POST /api/pickups/{pickup_id}/chase
POST /api/pickups/{pickup_id}/answer | PUT /api/standing-pickups | DELETE /api/standing-pickups/{standing_id}
POST /api/pickups/calendar | POST /api/departures/reopen | POST /api/departures/bring | POST /api/carriers/{code}/points | POST /api/carriers/{code}/points/ask | POST /api/departures/move
GET /api/carriers/{code}/cards/{card_id}/file | POST /api/carriers/{code}/accounts/rehearse
POST /api/carriers/{code}/without | POST /api/carriers/{code}/cards/check | POST /api/carriers/{code}/cards/rehearse
POST /api/orders/{order_id}/ask-prices | POST /api/quote/ask-prices | POST /api/orders/services
POST /api/orders | PATCH /api/orders/{order_id}/hand | POST /api/orders/hand | PATCH /api/products/{sku}/facts
POST /api/purchases | GET /api/money | POST /api/imports | POST /api/imports/samples | GET /api/imports | GET /api/imports/{import_id}
PUT /api/imports/{import_id}/columns | PATCH /api/imports/{import_id}/rows | POST /api/imports/{import_id}/run
PUT /api/imports/{import_id}/reading | POST /api/imports/{import_id}/undo | POST /api/channels/{code}/pull | GET /api/channels/{code}/counts
POST /api/channels/{code}/test | POST /api/orders/{order_id}/clear | PUT /api/orders/{order_id}/sender | PUT /api/orders/{order_id}/worth | POST /api/orders/{order_id}/sent
POST /api/orders/{order_id}/apart | POST /api/orders/join | POST /api/orders/{order_id}/undo
POST /api/layers/shop-defaults/rehearse | POST /api/rules/rehearse | POST /api/checkout/try | POST /api/checkout/tables/read | POST /api/checkout/rehearse | GET /api/checkout/sold | GET /api/checkout/basket-of/{number} | POST /api/checkout/cases/run | POST /api/checkout/cases | DELETE /api/checkout/cases/{case_id} | POST /api/recipes | POST /api/recipes/from-order
DELETE /api/recipes/{code} | PUT /api/promises | POST /api/promises/rehearse | DELETE /api/precedents/{precedent_id}
PATCH /api/products | PUT /api/products/stock | POST /api/products/file | POST /api/preflight | POST /api/voids | POST /api/differences/{difference_id}/void | POST /api/orders/undo | POST /api/unsettled/{shipment_id} | GET /api/refunds
POST /api/refunds/{shipment_id}/chase | POST /api/batches | PATCH /api/batches/{batch_id}
POST /api/batches/{batch_id}/orders | POST /api/batches/{batch_id}/scan | POST /api/batches/{batch_id}/take-out
POST /api/batches/{batch_id}/cancel | POST /api/batches/{batch_id}/archive | GET /api/batches/{batch_id}/summary.pdf
GET /api/invoices.pdf | POST /api/labels/mail | PUT /api/printing/preferences | GET /api/money/file
GET /api/money/settings | GET /api/request-links | GET /api/requests | POST /api/requests/{request_id}/approve
POST /api/requests/{request_id}/decline | POST /api/recipes/order | GET /api/cover/declarations
GET /api/feeds | POST /api/feeds/{feed_id}/fetch | PUT /api/orders/{order_id}/customs | PUT /api/orders/{order_id}/customs/charged | GET /api/customs/charged | PUT /api/orders/{order_id}/customs/invoice | DELETE /api/orders/{order_id}/customs/invoice | GET /api/orders/{order_id}/customs.pdf
GET /api/orders/{order_id}/customs.xml | GET /api/customs/numbers
"""
_OWNER = """
GET /api/people | POST /api/departures/recount | GET /api/personal-data | POST /api/personal-data/erase | POST /api/people | PATCH /api/people/{person_id} | POST /api/people/{person_id}/link
POST /api/people/{person_id}/sign-out | GET /api/keys | POST /api/keys | DELETE /api/keys/{key_id} | POST /api/keys/{key_id}/change | POST /api/money/top-up | POST /api/places | POST /api/packaging
PUT /api/shop | GET /api/shop/mail | PUT /api/shop/mail | POST /api/shop/mail/test | GET /api/shop/mail/signing | POST /api/shop/mail/signing | PUT /api/shop/mail/signing | DELETE /api/shop/mail/signing | GET /api/shop/sms | PUT /api/shop/sms | POST /api/shop/sms/test | POST /api/packaging/starters
PUT /api/layers/shop-defaults | PUT /api/rules | PUT /api/checkout | POST /api/checkout/versions/{version}/restore | POST /api/rules/versions/{version}/restore | PUT /api/channels/{code} | POST /api/channels
GET /api/channels/{code}/consent | POST /api/channels/{code}/connect | POST /api/channels/{code}/paused
POST /api/carriers | POST /api/carriers/connect | DELETE /api/carriers/{code} | POST /api/carriers/{code}/ranges
DELETE /api/carriers/{code}/ranges/{range_id} | PATCH /api/carriers/{code} | PUT /api/carriers/{code}/claim-days | POST /api/carriers/{code}/accounts | PATCH /api/carriers/{code}/accounts/{account_id}
DELETE /api/carriers/{code}/accounts/{account_id} | POST /api/carriers/{code}/cards | DELETE /api/carriers/{code}/cards/{card_id}
PUT /api/following/codes | GET /api/customs/tables.json | PUT /api/customs/tables | PUT /api/customs/numbers | PUT /api/messages/rules | PUT /api/returns/rules | POST /api/orders/approve | POST /api/restricted | POST /api/money/bill-paid | PUT /api/money/settings
PUT /api/printing/template | PUT /api/printing/logo | DELETE /api/printing/logo | POST /api/request-links
PATCH /api/request-links/{link_id} | PUT /api/cover | POST /api/printers | DELETE /api/printers/{code}
POST /api/feeds | PUT /api/feeds/{feed_id} | DELETE /api/feeds/{feed_id} | POST /api/feeds/try | POST /api/feeds/{feed_id}/try
POST /api/people/{person_id}/badge.pdf | PUT /api/bench/settings | GET /api/bench/packed
"""
OPEN = {
    "GET /api/health",
    "GET /api/start",
    "POST /api/sign-in",
    "POST /api/first-owner",
    "GET /api/door/{key}",
    "POST /api/door/{key}",
    "GET /api/tracking/{tracking_key}",
    "GET /api/pickups/{key}.ics",
    "GET /api/calendar/{key}.ics",
    "POST /api/hooks/{code}",
    "POST /api/hooks/carriers/{code}",
    "POST /api/checkout/v1/channels/{code}/offers",
    "GET /api/request-form/{key}",
    "POST /api/request-form/{key}",
    "GET /api/asked/{view_key}",
}


def _routes(table: str, *roles: str) -> dict[str, set[str]]:
    return {route.strip(): set(roles) for line in table.strip().splitlines() for route in line.split("|")}


MAY = {
    **_routes(_EVERYBODY, *ROLES),
    **_routes(_BENCH, "owner", "shipper", "packer"),
    **_routes(_CARE, "owner", "shipper", "care"),
    **_routes(_SHIP, "owner", "shipper"),
    **_routes(_OWNER, "owner"),
}
BODIES = {
    "POST /api/keys": {"name": "x", "role": "care"},
    "POST /api/orders/held": {"order_ids": [0], "held": True},
    "POST /api/purchases": {"client_key": "12345678", "orders": [{"order_id": 0, "shown_minor": 0}]},
    "POST /api/money/top-up": {"amount_minor": 1, "key": "12345678"},
    "PATCH /api/products/{sku}/facts": {},
    "PUT /api/orders/{order_id}/address": {"address": {}},
    "PUT /api/orders/{order_id}/sender": {"sender": None},
    "PUT /api/orders/{order_id}/worth": {"worth_minor": 100},
    "PATCH /api/orders/{order_id}/hand": {},
    "PUT /api/imports/{import_id}/columns": {"columns": {}},
    "POST /api/preflight": {"orders": {"0": None}},
    "POST /api/voids": {"shipment_ids": [0]},
    "POST /api/money/bill-paid": {"amount_minor": 1, "key": "12345678"},
}


def in_person(session: Session, role: str, at: datetime) -> dict[str, str]:
    """Return the headers of somebody new with a role who has signed in: some doors open to no key."""
    token = f"token of {role}"
    person = Person(login=f"a-{role}", name=f"A {role}", role=role, password_hash="none")
    session.add(person)
    session.flush()
    mine = {"person_id": person.id, "csrf_token": "csrf", "browser": "", "seen_at": at}
    session.add(SignIn(token_hash=digest(token), expires_at=at + timedelta(days=1), **mine))
    return {"Cookie": f"{COOKIE}={token}", "X-CSRF-Token": "csrf"}


def sign_in(client: httpx.Client, login: str) -> dict[str, str]:
    answer = client.post("/api/sign-in", json={"login": login, "password": DEMO_PASSWORD})
    assert answer.status_code == 200, answer.text
    return {"X-CSRF-Token": answer.json()["csrf_token"]}
