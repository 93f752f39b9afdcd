"""The shop itself, its mail server, and what a new shop can start with."""

from __future__ import annotations

from fastapi import APIRouter

from tidewind.services import shop as service
from tidewind.services.planning import shop_settings
from tidewind.services.shop import MailSettings, SmsSettings
from tidewind.web.access import Anyone, Now, Owner, Parts, RealNow, Tx
from tidewind.web.shop.schemas.settings import (
    MailServerIn,
    MailServerOut,
    ShopIO,
    SigningKeyIn,
    SigningKeyOut,
    SignMailsIn,
    SmsGatewayIn,
    SmsGatewayOut,
    StartersOut,
    TestMailIn,
    TriedOut,
)

router = APIRouter(prefix="/api", tags=["shop"])


@router.get("/shop")
def get_shop(_who: Anyone, session: Tx) -> ShopIO:
    """Return the shop's own facts."""
    return ShopIO.model_validate(shop_settings(session))


@router.put("/shop")
def change_shop(body: ShopIO, _who: Owner, session: Tx, now: Now) -> ShopIO:
    """Change the shop's own facts; waiting orders are planned anew where it matters to them."""
    return ShopIO.model_validate(service.change_shop(session, body.model_dump(mode="json"), now))


@router.get("/shop/mail")
def get_mail(_who: Owner, session: Tx) -> MailServerOut:
    """Return the mail server that is set."""
    return MailServerOut.model_validate(service.mail_settings(session))


@router.put("/shop/mail")
def set_mail(body: MailServerIn, _who: Owner, session: Tx, parts: Parts) -> MailServerOut:
    """Set the mail server; its password is stored sealed."""
    wanted = MailSettings(**body.model_dump())
    return MailServerOut.model_validate(service.save_mail_settings(session, wanted, parts.outside.sealer))


@router.post("/shop/mail/test")
def try_mail(body: TestMailIn, _who: Owner, session: Tx, parts: Parts) -> TriedOut:
    """Send a mail to try the server, and return its own words where it does not go."""
    ok, words = service.send_test_mail(session, parts.outside, body.recipient)
    return TriedOut(ok=ok, words=words)


@router.get("/shop/mail/signing")
def get_signing(_who: Owner, session: Tx) -> SigningKeyOut:
    """Return the record that is to be published, and whether mails are signed."""
    return SigningKeyOut.model_validate(service.signing_key(session))


@router.post("/shop/mail/signing")
def keep_signing(body: SigningKeyIn, _who: Owner, session: Tx, parts: Parts, now: RealNow) -> SigningKeyOut:
    """Keep a key to sign mails with, or make one; the key itself never comes out."""
    made = service.keep_signing_key(session, parts.outside.sealer, now, body.selector, body.pem)
    return SigningKeyOut.model_validate(made)


@router.put("/shop/mail/signing")
def set_signing(body: SignMailsIn, _who: Owner, session: Tx) -> SigningKeyOut:
    """Sign mails from now on, or no more."""
    return SigningKeyOut.model_validate(service.sign_mails(session, body.on))


@router.delete("/shop/mail/signing")
def forget_signing(_who: Owner, session: Tx) -> SigningKeyOut:
    """Take the key away; mails go unsigned."""
    return SigningKeyOut.model_validate(service.forget_signing_key(session))


@router.get("/shop/sms")
def get_sms(_who: Owner, session: Tx) -> SmsGatewayOut:
    """Return the gateway for text messages that is set."""
    return SmsGatewayOut.model_validate(service.sms_settings(session))


@router.put("/shop/sms")
def set_sms(body: SmsGatewayIn, _who: Owner, session: Tx, parts: Parts) -> SmsGatewayOut:
    """Set the gateway for text messages; its key is stored sealed."""
    wanted = SmsSettings(**body.model_dump())
    return SmsGatewayOut.model_validate(service.save_sms_settings(session, wanted, parts.outside.sealer))


@router.post("/shop/sms/test")
def try_sms(body: TestMailIn, _who: Owner, session: Tx, parts: Parts) -> TriedOut:
    """Send a text message to try the gateway, and return its own words."""
    ok, words = service.send_test_sms(session, parts.outside, body.recipient)
    return TriedOut(ok=ok, words=words)


@router.post("/packaging/starters")
def take_starters(_who: Owner, session: Tx, now: Now) -> StartersOut:
    """Add common sizes of cartons and bags, in centimetres or inches as the shop measures."""
    return StartersOut(added=service.take_starters(session, now))
