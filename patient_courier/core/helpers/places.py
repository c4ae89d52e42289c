"""Where somebody signs in from, in words: the network of an address, the browser by its own word."""

from __future__ import annotations

import re
from ipaddress import ip_address, ip_network

_BROWSERS = (
    (re.compile(r"Edg\w*/"), "Edge"),
    (re.compile(r"OPR/|Opera"), "Opera"),
    (re.compile(r"Firefox/|FxiOS/"), "Firefox"),
    (re.compile(r"Chrome/|Chromium/|CriOS/"), "Chrome"),
    (re.compile(r"Safari/"), "Safari"),
)
_SYSTEMS = (
    (re.compile(r"iPhone|iPad"), "iOS"),
    (re.compile(r"Android"), "Android"),
    (re.compile(r"Windows"), "Windows"),
    (re.compile(r"Mac OS X|Macintosh"), "macOS"),
    (re.compile(r"Linux"), "Linux"),
)


def network_of(address: str) -> str:
    """The network that an address belongs to, as far as a household or a company shares one; the address itself if it is none."""
    try:
        found = ip_address(address)
    except ValueError:
        return address[:100]
    return str(ip_network(f"{found}/{24 if found.version == 4 else 48}", strict=False))


def browser_words(agent: str) -> str:
    """“Firefox on Linux”, as far as it says so; empty when it says nothing that is known."""
    browser = next((name for pattern, name in _BROWSERS if pattern.search(agent[:500])), "")
    system = next((name for pattern, name in _SYSTEMS if pattern.search(agent[:500])), "")
    return " on ".join(x for x in (browser, system) if x)
