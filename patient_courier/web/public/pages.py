"""The pages that students see, in the school's look. No sign-in; what they are shown depends on a signed link alone."""

from __future__ import annotations

from html import escape
from urllib.parse import urlsplit

from fastapi.responses import HTMLResponse

from patient_courier.core.school.text import clean_text
from patient_courier.post.blocks import FACES, RADII, SANS
from patient_courier.post.look import Look


class NoLink(Exception):
    """A link that can't be used: cut off, made up, or ``old``: of a letter that is no longer known."""

    def __init__(self, *, old: bool = False) -> None:
        super().__init__()
        self.old = old


def no_link(error: NoLink, look: Look) -> HTMLResponse:
    """What stands behind such a link."""
    if error.old:
        body = (
            "<p>The letter it stood in is no longer kept here, so it leads nowhere any more. "
            "Nothing has happened. If you still get post from us, use the link in the newest letter.</p>"
        )
        return page(look, "This link is old", body, status=410)
    body = "<p>It may have been cut off on its way. Open it from the letter again, or copy it as a whole.</p>"
    return page(look, "This link does not work", body, status=404)


def masked(email: str) -> str:
    """An address as it can be shown to whoever has a link: its first letter and its domain."""
    name, _, domain = email.rpartition("@")
    return f"{name[:1]}…@{domain}"


def paragraphs(text: str) -> str:
    """Text as it was written, safe for a page."""
    return f"<p>{escape(clean_text(text))}</p>".replace("\n\n", "</p><p>").replace("\n", "<br>")


def button(label: str, name: str = "", value: str = "") -> str:
    """A form with one button, which acts on the page's own address."""
    named = f' name="{escape(name)}" value="{escape(value)}"' if name else ""
    return f'<form method="post"><button{named}>{escape(label)}</button></form>'


def below(site: str) -> str:
    """What stands before the path of every address: nothing, but for a practice copy, which lies below the school's."""
    return urlsplit(site).path


def page(
    look: Look,
    title: str,
    body: str,
    *,
    status: int = 200,
    head: str = "",
    scripts: bool = False,
    language: str = "en",
) -> HTMLResponse:
    """A whole page; ``title`` is text, ``body`` and what goes into its ``head`` are HTML. ``scripts``: it may run ours.

    ``language`` is what it is written in (BCP 47).
    """
    layout = look.layout
    logo = ""
    if layout.logo and layout.header in ("logo", "both"):
        logo = f'<img class="logo" src="{escape(look.absolute(layout.logo))}" alt="{escape(look.school)}" width="{layout.logo_width}">'
    name = "" if logo and layout.header == "logo" else f'<p class="school">{escape(look.school)}</p>'
    html = _FRAME.format(
        title=escape(title),
        language=escape(language),
        school=escape(look.school),
        head=head,
        header=(logo + name) if look.school else "",
        body=body,
        foot=escape(clean_text(look.postal_address)).replace("\n", "<br>"),
        face=FACES[layout.type],
        sans=SANS,
        radius=RADII[layout.button_shape],
        **{name: getattr(layout, name) for name in _COLOURS},
    )
    allowed = {"Content-Security-Policy": f"{_POLICY}; script-src 'self'"} if scripts else {}
    return HTMLResponse(html, status_code=status, headers={**_HEADERS, **allowed})


_COLOURS = ("ground", "paper", "ink", "soft", "accent", "link", "button", "button_ink")
_POLICY = (
    "default-src 'none'; style-src 'unsafe-inline'; img-src 'self' https: http:; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'self'"
)
_HEADERS = {"Cache-Control": "no-store", "X-Robots-Tag": "noindex", "Content-Security-Policy": _POLICY}
_FRAME = """<!doctype html><html lang="{language}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex"><meta name="referrer" content="no-referrer"><title>{title} · {school}</title>{head}<style>
* {{ box-sizing: border-box }} body {{ font: 17px/1.55 {face}; background: {ground}; color: {ink}; margin: 0; padding: 40px 20px; overflow-wrap: anywhere }}
main {{ max-width: 560px; margin: auto; background: {paper}; padding: 30px 34px; border: 1px solid #c6d3dc; border-radius: 8px }}
.school {{ color: {accent}; font: 700 13px {sans}; letter-spacing: .04em; text-transform: uppercase; margin: 0 0 6px }} .logo {{ display: block; max-width: 100%; height: auto; margin: 0 0 12px }}
h1 {{ font-size: 25px; line-height: 1.25; margin: 0 0 14px }} h2 {{ font-size: 18px; margin: 26px 0 6px }} p {{ margin: 0 0 14px }} a {{ color: {link} }} .soft, small {{ color: {soft}; font: 14px/1.5 {sans} }}
.said {{ border-left: 3px solid {accent}; padding-left: 14px }} fieldset {{ border: 0; margin: 0; padding: 0 }} legend {{ padding: 0 }}
label.line {{ display: flex; gap: 12px; align-items: flex-start; padding: 11px 0; border-top: 1px solid #dbe4ea; cursor: pointer }} label.line input {{ width: 20px; height: 20px; margin: 3px 0 0; flex: none; accent-color: {button} }} label.line small {{ display: block }}
label.copied {{ display: block; font: 14px/1.5 {sans}; color: {soft} }} label.copied span {{ display: flex; gap: 8px; align-items: flex-start }} label.copied button {{ padding: 8px 14px; min-height: 0; width: auto; font-size: 14px; margin-top: 4px; flex: none }}
.forms {{ display: flex; flex-wrap: wrap; gap: 6px 20px }} ul {{ margin: 0 0 14px; padding-left: 22px }} textarea {{ font: 16px/1.5 {face}; width: 100%; min-height: 140px; padding: 10px 12px; border: 1px solid #7f93a3; border-radius: 6px; margin: 4px 0 10px; color: {ink}; background: {paper} }}
input[type=email], input[type=text] {{ font: 16px {sans}; padding: 10px 12px; border: 1px solid #7f93a3; border-radius: 6px; width: 100%; margin: 4px 0 10px; color: {ink}; background: {paper} }}
button {{ background: {button}; color: {button_ink}; border: 0; border-radius: {radius}; padding: 12px 22px; min-height: 44px; font: 600 16px {sans}; cursor: pointer }} button.quiet {{ background: transparent; color: {link}; border: 1px solid {link} }} :focus-visible {{ outline: 3px solid {link}; outline-offset: 2px }}
footer {{ max-width: 560px; margin: 18px auto 0; color: {soft}; font: 13px/1.5 {sans}; padding: 0 34px }} @media (max-width: 480px) {{ body {{ padding: 14px 10px }} main {{ padding: 22px 18px }} footer {{ padding: 0 18px }} button {{ width: 100% }} }}
</style></head><body><main>{header}<h1>{title}</h1>{body}</main><footer>{foot}</footer></body></html>"""
