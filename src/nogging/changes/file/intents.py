"""Intents: what is to be, said once for every dialect. Each is one mapping, known by its first key.

The lines that an intent is in a dialect are templates in `library/<dialect>.yaml`, over the keys declared here.
"""

from __future__ import annotations

import ipaddress
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, ConfigDict, Field, model_validator

from nogging.files import Strict
from nogging.inventory import Secret
from nogging.records.values import plain


def _network(text: str) -> str:
    try:
        return str(ipaddress.ip_network(plain(text)))
    except ValueError:
        raise ValueError(f"'{text}' is not a prefix, such as 203.0.113.0/24 (no host bits)") from None


def _interface_address(text: str) -> str:
    try:
        return str(ipaddress.ip_interface(plain(text))) if "/" in text else _never(text)
    except ValueError:
        raise ValueError(f"'{text}' is not an address with its prefix length, such as 198.51.100.42/30") from None


def _never(text: str) -> str:
    raise ValueError(text)


def address_of(text: str) -> str:
    try:
        return str(ipaddress.ip_address(plain(text)))
    except ValueError:
        raise ValueError(f"'{text}' is not an address") from None


def _end(text: str) -> str:
    return text if text == "any" else _network(text)


def _way(text: str) -> str:
    return text if text == "blackhole" else address_of(text)


Prefix = Annotated[str, AfterValidator(_network)]
AddressText = Annotated[str, AfterValidator(address_of)]
OneLine = Annotated[str, Field(pattern=r"^[^\x00-\x1f\x7f]*$", max_length=200)]
"""Text that stays on its line."""
OneWord = Annotated[str, Field(pattern=r"^[^\s\x00-\x1f\x7f]+$", max_length=100)]


class Intent(Strict):
    """`remove` takes away what the others bring about. `says` are the keys of which one at least has to be given."""

    remove: bool = False
    says: ClassVar[tuple[str, ...]] = ()

    @model_validator(mode="after")
    def something(self) -> Intent:
        given = [key for key in self.says if getattr(self, key) not in (None, ())]
        if self.says and (given == [] or (given == ["remove"] and not self.remove)):
            raise ValueError(f"nothing is asked for; give at least one of: {', '.join(self.says)}")
        return self

    @property
    def word(self) -> str:
        """The key that it is known by."""
        return next(word for word, model in INTENTS.items() if type(self) is model)


class InterfaceIntent(Intent):
    says = ("enabled", "mtu", "description", "addresses")
    interface: OneLine
    enabled: bool | None = None
    mtu: Annotated[int, Field(ge=68, le=65536)] | None = None
    description: OneLine | None = None
    addresses: tuple[Annotated[str, AfterValidator(_interface_address)], ...] = ()

    @model_validator(mode="after")
    def removes_addresses(self) -> InterfaceIntent:
        if self.remove and (self.enabled, self.mtu, self.description) != (None, None, None):
            raise ValueError("of an interface 'remove' takes away addresses; say of the rest how it is to be")
        return self


class VlanIntent(Intent):
    vlan: Annotated[int, Field(ge=1, le=4094)]
    name: OneWord | None = None
    ports: tuple[OneLine, ...] = ()

    @model_validator(mode="after")
    def removes_it_whole(self) -> VlanIntent:
        if self.remove and self.ports:
            raise ValueError("'remove' takes a VLAN away as a whole; put its 'ports' into another first")
        return self


class RouteIntent(Intent):
    route: Prefix
    via: Annotated[str, AfterValidator(_way)]


class OspfIntent(Intent):
    says = ("area", "cost", "hello_interval", "dead_interval")
    ospf: OneLine
    process: int = 1
    area: OneWord | int | None = None
    cost: Annotated[int, Field(ge=1, le=65535)] | None = None
    hello_interval: Annotated[int, Field(ge=1, le=65535)] | None = None
    dead_interval: Annotated[int, Field(ge=1, le=65535)] | None = None


class NeighborIntent(Intent):
    says = ("remote_as", "description", "enabled", "remove")
    neighbor: AddressText
    local_as: int
    group: OneWord | None = None
    remote_as: int | None = None
    description: OneLine | None = None
    enabled: bool | None = None


class NtpServerIntent(Intent):
    ntp_server: AddressText


class LogHostIntent(Intent):
    log_host: AddressText


class NameServerIntent(Intent):
    name_server: AddressText


class CommunityIntent(Intent):
    snmp_community: Secret
    write: bool = False


class AccessIntent(Intent):
    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    access_list: OneWord
    number: Annotated[int, Field(ge=1)]
    action: Literal["permit", "deny"] = "permit"
    protocol: Literal["ip", "tcp", "udp", "icmp"] = "ip"
    from_: Annotated[str, AfterValidator(_end)] = Field(default="any", alias="from")
    to: Annotated[str, AfterValidator(_end)] = "any"
    port: int | None = None


INTENTS: dict[str, type[Intent]] = {
    "interface": InterfaceIntent,
    "vlan": VlanIntent,
    "route": RouteIntent,
    "ospf": OspfIntent,
    "neighbor": NeighborIntent,
    "ntp_server": NtpServerIntent,
    "log_host": LogHostIntent,
    "name_server": NameServerIntent,
    "snmp_community": CommunityIntent,
    "access_list": AccessIntent,
}


INCLUDE = "include"
"""What stands for the intents of another file."""
WrittenIntent = Annotated[
    dict[str, Any], Field(json_schema_extra={"anyOf": [{"required": [word]} for word in (*INTENTS, INCLUDE)]})
]
"""An intent as it is written: what is in braces is not known before there is a device."""


def intent_of(given: dict[str, Any]) -> Intent:
    """The intent that a mapping is; `ValueError` for one without a word that is known."""
    from pydantic import ValidationError

    word = next((key for key in given if key in INTENTS), None)
    if word is None:
        raise ValueError(f"an intent has one of the keys: {', '.join(INTENTS)}")
    try:
        return INTENTS[word].model_validate(given)
    except ValidationError as error:
        detail = error.errors()[0]
        place = ".".join(str(step) for step in detail["loc"])
        told = detail["msg"].removeprefix("Value error, ")
        raise ValueError(f"'{place}': {told}" if place else told) from None


def well_formed(given: tuple[dict[str, Any], ...]) -> tuple[dict[str, Any], ...]:
    """The intents as they are written; `ValueError` for one that is wrong, whatever the device."""
    for intent in given:
        if INCLUDE in intent:
            if set(intent) != {INCLUDE} or not isinstance(intent[INCLUDE], str):
                raise ValueError(f"'{INCLUDE}' stands alone, and names a file")
        elif not any("{{" in str(value) for value in intent.values()):
            intent_of(intent)
    return given
