"""One plain page frame for the stand-ins."""

from html import escape

_STYLE = (
    "body{font:15px/1.5 system-ui,sans-serif;max-width:46rem;"
    "margin:2rem auto;padding:0 1rem;color:#23292E;background:#F7F5F2}"
    "article{border-top:1px solid #DDD8D0;padding:.5rem 0}h1{font-size:1.4rem}h2{font-size:1rem;margin:.4rem 0}"
    "pre{white-space:pre-wrap;font:inherit;background:#fff;border:1px solid #DDD8D0;padding:.75rem}"
    "td,th{padding:.3rem .8rem .3rem 0;text-align:left}button{font:inherit;padding:.3rem .8rem}a{color:#7A2E54}"
)


def page(title: str, body: str) -> str:
    """Return a page of the simulated world; ``body`` is trusted HTML, the title is escaped."""
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title>'
        f'<style>{_STYLE}</style><p><a href="/">Simulated world</a> · <a href="/mail">Mails</a> · '
        f'<a href="/larkspur/checkout">Checkout of the web shop</a></p>'
        f"<h1>{escape(title)}</h1>{body}</html>"
    )
