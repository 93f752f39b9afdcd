"""The gateway that the shop's text messages go through: said by the owner, its key sealed, tried before it counts."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import phonenumbers
from sqlalchemy.orm import Session

from tidewind.core.filled import FORMS, template_faults
from tidewind.outside.errors import OutsideError
from tidewind.outside.sms import SmsGateway
from tidewind.services.base import Invalid, Outside, Sealer, place_of, secret_to_keep
from tidewind.services.planning import shop_settings

FIELDS, NEEDED = frozenset({"to", "text", "from"}), frozenset({"to", "text"})
EXAMPLE = '{"to": "{to}", "from": "{from}", "message": "{text}"}'


@dataclass(frozen=True, slots=True)
class SmsSettings:
    """Address, form and template of the body, header of the key, and who messages come from.

    ``secret`` None leaves the one there is, empty takes it away.
    """

    url: str
    form: str = "json"
    template: str = EXAMPLE
    header: str = "Authorization"
    sender: str = ""
    secret: str | None = None


def sms_settings(session: Session) -> SmsSettings:
    """Return what is set, without the key; an empty address where there is no gateway."""
    said = {name: value for name, value in shop_settings(session).sms_gateway.items() if name != "secret"}
    return SmsSettings(**said) if said else SmsSettings("")


def save_sms_settings(session: Session, wanted: SmsSettings, sealer: Sealer) -> SmsSettings:
    """Keep another gateway; an empty address leaves none.

    Raises Invalid for a template that cannot be filled, and where the kept key would go to another place.
    """
    row = shop_settings(session)
    if wanted.form not in FORMS:
        raise Invalid("bad_form", "The body is JSON or a form.")
    if wanted.url and (wrong := template_faults(wanted.template, wanted.form, FIELDS, NEEDED)):
        raise Invalid("bad_template", " ".join(wrong))
    same = not wanted.url or place_of(wanted.url) == place_of(str(row.sms_gateway.get("url", "")))
    sealed = secret_to_keep(sealer, str(row.sms_gateway.get("secret", "")), wanted.secret, same_place=same)
    said = {name: value for name, value in asdict(wanted).items() if name != "secret"}
    row.sms_gateway = {**said, "secret": sealed} if wanted.url else {}
    return sms_settings(session)


def gateway_of(session: Session, sealer: Sealer) -> SmsGateway | None:
    """Return the gateway that messages go through now, None where there is none."""
    said = shop_settings(session).sms_gateway
    if not said:
        return None
    plain = {name: str(said[name]) for name in ("url", "form", "template", "header", "sender")}
    return SmsGateway(secret=sealer.open(str(said["secret"])), **plain)


def send_test_sms(session: Session, outside: Outside, recipient: str) -> tuple[bool, str]:
    """Send a message to try the gateway; return whether it was taken, and the gateway's own words.

    Raises Invalid for a number that is none, or while there is no gateway.
    """
    gateway = gateway_of(session, outside.sealer)
    if gateway is None:
        raise Invalid("no_gateway", "Save a gateway first.")
    try:
        number = phonenumbers.parse(recipient, None)
    except phonenumbers.NumberParseException:
        number = None
    if number is None or not phonenumbers.is_possible_number(number):
        raise Invalid("bad_number", "Write the number with its country, as in +351 912 345 678.")
    to = phonenumbers.format_number(number, phonenumbers.PhoneNumberFormat.E164)
    try:
        said = outside.text(gateway, to, f"{shop_settings(session).brand}: this message tries the gateway.")
    except OutsideError as error:
        return False, str(error)
    return True, f"The gateway took it for {to}" + (f" and said: {said}" if said else ".")
