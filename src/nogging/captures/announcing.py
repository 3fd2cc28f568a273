"""What announces a secret: the places where configurations, their listings, files and calls hold one.

Three forms cover nearly all. A *spoken* one is a word of a command line, then words that give its type or position,
which are passed over, then the secret: one word, a quoted text, or all the rest of the line where no known word
follows. A *keyed* one is a name with `=` or `:`, as in JSON, YAML, environments and configuration files. A *tagged* one
is an element of XML. What fits none of them has a place of its own. Names that say something *about* a secret (its age,
its type, its number) announce none.
"""

from __future__ import annotations

import re
from functools import cache

_QUOTED = r"\"(?:[^\"\\\n]|\\.)+\"?|'[^'\n]+'?"
_BARE = r"[^\s\";,{}<>'\[\]()=:]\S*?(?=[;,]?(?:\s|$)|[\"'};)]|<(?!masked:))"
VALUE = rf"(?P<secret>{_QUOTED}|{_BARE})"
_HEX = r"(?P<secret>(?:0x)?[0-9A-Fa-f]{16,})"

_TYPES = (
    r"(?:\d{1,2}|8a|md5|sha-?\d*|sha-?\d+-\d+|hmac\S*|cmac\S*|aes-\d+-cmac"
    r"|encrypted|clear|clear-text|cleartext|plain-text|hidden|ascii|hex"
    r"|hexadecimal|ascii-text|text|string|value|local|remote|localized|passphrase|type\s+\w+|level\s+\d+"
    r"|option\s+\d+\s+for\s+\S+|(?:address|hostname)\s+\S+(?:\s+\d+\.\S+)?\s+key|peer\s+\d+\.\S+|key|set-key|common-criteria-policy\s+\S+)"
)
_PASSED = rf"(?:{_TYPES}\s+)*+"

_SAYS = r"(?:password|passwd|pass[-_]?phrase|passkey|passcode|secret|psk)"
_KEYS = (
    r"(?:pre-?shared-key|shared-key|shared-secret|authentication-key|auth-key|auth-pass|auth_pass|privacy-key|server-key"
    r"|key-string(?:\s+password\b)?+|key-octet-string|fallback-key(?!\s+(?:cak|ckn)\b)|api-?key"
    r"|(?:api|auth|access|bearer)[- ]token|authentication-string|password-value|requirepass|md5sig\s+key|cak|bindpw"
    r"|idtoken)"
)
_NO_ROUTES = "".join(
    rf"(?<!\b{word} )" for word in ("bgp", "extended", "match", "set", "then", "from", "policy-options")
)
"""Behind these words a community is one of BGP's."""
_SPOKEN = (
    rf"(?<![A-Za-z0-9/.<:])(?P<word>{_SAYS}|{_KEYS})(?!\s+profile(?::|\s+\S))\s+{_PASSED}{VALUE}",
    rf"\bmessage-digest-key\s+\d+\s+\S+\s+{_PASSED}{VALUE}",
    rf"\b(?:tacacs|radius|server|ldap|client)\S{{0,40}}(?:\s.{{0,200}}?)?\skey\s+{_PASSED}{VALUE}",
    rf"\bisakmp\s+key\s+{_PASSED}{VALUE}",
    rf"^\s*(?:pac\s+)?key\s+(?:\d{{1,2}}|8a)\s+{VALUE}\s*$",
    rf"^\s*key\s+(?!\d+\s*$|chain\b|config-key\b|generate\b|zeroize\b|id\b){VALUE}\s*$",
    rf"^\s*key\s+\S+\s+7\s+{VALUE}",
    rf"\bkey\s+(?:ascii-text|hexadecimal|hex|ascii)\s+{_PASSED}{VALUE}",
    rf"\b(?:md5\s+\d+|(?:hash-algo|algorithm)\s+\S+|authentication|key-?id\s+\d+)\s+(?:hex-)?key\s+{_PASSED}{VALUE}",
    rf"\bauthentication\s+mode\s+hmac-sha-256\s+{_PASSED}{VALUE}",
    rf"\bkey\s+\d+\s+--\s+text\s+(?:\d\s+)?+{VALUE}",
    rf"\bkey\s+\d+\s+size\s+\w+\s+(?:\d\s+)?+{VALUE}",
    rf"\bkey\s+(?:\d+\s+)?(?P<secret>{_QUOTED})",
    rf"\bconfig-key\s+(?:password-encrypt|ascii|newpass)\s+{VALUE}",
    rf"\b(?:standby|vrrp|glbp|hsrp)\s+(?:\d+\s+)?(?:peer\s+)?authentication\s+(?!md5\b|ietf-md5\b|text\b|mode\b){VALUE}",
    rf"\bauthentication\s+(?:text,\s+string|text|string)\s+(?:\d\s+(?=\S))?+{VALUE}",
    rf"\bauthentication\s+md5\s+\d\s+(?!key\b){VALUE}",
    rf"\bhello-authentication\s+ah-md5\s+{_PASSED}{VALUE}",
    rf"\bprivate-key\s+(?![/~]|file\b){_PASSED}{VALUE}",
    rf"\bnhrp\s+authentication\s+{VALUE}",
    rf"\benvironment\s+\S*(?:pass|pwd?\b|secret|token|key)\S*\s+{VALUE}",
    rf"(?=c){_NO_ROUTES}(?<![\w-])community\s+(?!add\b|delete\b|\S+\s+members\b|\d+:\d+"
    rf"|(?:string|name|index|securityname)\s*:|Group / Access){VALUE}",
    rf"\bcommunity-(?:map|name)\s+{VALUE}",
    rf"\buser:\s+{VALUE}\s+security model:\s+v[12]",
    rf"\bv(?:1|2c)\s+noauth\s+(?:trap|inform)\s+{VALUE}",
    rf"\btrap-group\s+{VALUE}",
    rf"\b(?:r[ow]community6?|trapcommunity)\s+{VALUE}",
    rf"\bcom2sec6?(?:\s+-Cn\s+\S+)?+\s+\S+\s+\S+\s+{VALUE}",
    rf"\b(?:trap2?sink|informsink)\s+\S+\s+{VALUE}",
    *(rf"\b(?:proxy|snmp\w+)(?:\s.{{0,200}}?)?\s-{option}\s*{VALUE}" for option in ("c", "(?-i:A)", "(?-i:X)")),
    r"\bsnmp-server\s+host\s+\S+(?:\s+(?:vrf|use-vrf)\s+\S+)?+(?:\s+(?:traps?|informs?))?+(?:\s+version\s+(?:1|2c))?+\s+"
    rf"(?!version\b|vrf\b|use-vrf\b|source-interface\b|udp-port\b|filter-vrf\b|traps?\b|informs?\b|\S+\s+community\b){VALUE}",
    rf"\bauth\s+(?:md5|sha\S*)\s+{VALUE}",
    rf"\bpriv\s+(?:des\S*|3des|aes\S*)(?:\s+\d+(?=\s))?+\s+{VALUE}",
    r"\bpriv\s+(?P<secret>0x[0-9A-Fa-f]{4,})",
    rf"\bcreateUser\s+(?:-e\s+\S+\s+)?+\S+\s+(?:MD5|SHA\S*)\s+{VALUE}",
    rf"\bcreateUser\s.{{1,200}}\s(?:DES|AES\S*)\s+{VALUE}",
    rf"\b(?:auth|auth-trunc|enc|aead)\s+\S+\s+{_HEX}",
    rf"\bspi\s+\d+\s+(?:md5|sha1)\s+{_PASSED}{VALUE}",
    rf"\b(?:esp\s+\S+(?:\s+\d+(?=\s))?+|(?:sha1|md5)(?:\s+\d+(?=\s))?+|key\s+[0-9a-f]{{32,}})\s+{_HEX}",
    rf"\b(?:cipher|authenticator|key\s+\d{{1,2}})\s+{_HEX}",
    rf"\bpkcs12\s+\S+\s+{VALUE}\s*$",
    rf"\bcrypto\s+key\s+(?:import|export)\s.{{1,100}}\s(?:terminal|\w+:\S*)(?:\s+3?des)?\s+{VALUE}\s*$",
    rf"\bsap\s+pmk\s+{VALUE}",
    rf"^\s*\d+\s+(?:MD5|SHA\d+|SHA3-\d+|AES\d+)\s+(?:(?:HEX|ASCII):)?+{VALUE}\s*$",
    rf"\boption\s+\S*(?:pass|secret|token|key)\S*\s+value\s+{VALUE}",
)
_WELL_KNOWN = (
    r"[\"']?(?:\d+:\d+|no-(?:export|advertise|peer)|local-as|internet|graceful-shutdown|blackhole"
    r"|(?:rt|soo|color|encap):\S+)\b"
)
"""Communities of BGP: RFC 1997, RFC 4360, RFC 7999, RFC 8326."""
_KEYED = (
    r"[?&](?P<name>[\w-]*(?:token|api_?key|password|secret))=(?P<secret>[^&\s\"'<]+)",
    rf"(?P<name>(?:{_SAYS}|token|api[-_]?key|access[-_]?key|private[-_ ]?key"
    r"|preshared[-_ ]?key"
    r"|pre-?shared-?key|shared[-_]?key|shared[-_]?secret|secret[-_]?key|auth(?:entication)?[-_]?key|key[-_]?string|md5[-_]?key"
    r"|(?:wireguard|wg|vpn|ipsec|ike|tacacs|radius|snmp|bgp|ospf|isis|ntp)[-_](?:key|md5)"
    rf"|wep_?key\d?|bindpw|tcp_fastopen_key)[\w-]{{0,40}}[\"']?)\s{{0,20}}[:=]\s{{0,20}}(?:0[sx])?{VALUE}",
    rf"(?P<name>(?<!large )(?<!extended )(?<!ext)community(?:[-_ ]?(?:string|name|securityname|index)|/user)?"
    rf"[\w-]{{0,40}}[\"']?)\s{{0,20}}[:=]\s{{0,20}}"
    rf"(?!{_WELL_KNOWN}){VALUE}",
    rf"(?<!\w)(?P<name>\w{{0,20}}auth)=(?:key|token(?:-secure)?),(?!/){VALUE}",
)
_TAGS = (
    rf"(?:{_SAYS}|key-?string|shared-?key|pre-?shared-?key|private-?key|secret-?key|auth-?key|authentication-?key|priv-?key"
    r"|privacy-?key|community-name|text-name|binary-name|ascii-text|hexadecimal)"
)
_TAGGED = (
    r"<(?P<name>(?:[\w.-]+:)?community)(?:\s[^>]{0,200})?>(?P<secret>(?!\d+:\d+)[^<\s][^<]*)<",
    r"<community>\s*<name>(?P<secret>[^<]+)</name>\s*(?!<members>)",
    rf"<(?P<name>(?:[\w.-]+:)?[\w.-]{{0,80}}{_TAGS}[\w.-]{{0,40}})(?:\s[^>]{{0,200}})?>(?P<secret>[^<\s][^<]*)<",
)
_OWN = (
    r"(?<=[a-z0-9])(?<!snmp)://[^\s/@:\"'<]{0,200}:(?P<secret>[^\s/@\"'<]+)@",
    r"\bsnmp://(?P<secret>[^\s@/]+)@",
    rf"\bAuthorization:\s*(?:Bearer|Basic|Token|Digest)\s+{VALUE}",
    r"(?<!\S)(?:-u|--user)[ =][\"']?[^\s:\"']+:(?P<secret>[^\s\"']+)",
    rf"\bsshpass\s+-p\s*{VALUE}",
    rf"\bipmitool\s(?:.{{0,200}}?\s)?-P\s*{VALUE}",
    r"(?:^|[\s\"'])(?:Set-)?Cookie:\s*(?P<secret>[\w.-]+=[^\"'\n]*)",
    rf"(?P<name>[\"']pass[\"'])\s{{0,20}}:\s{{0,20}}{VALUE}",
    r"\bmysql\w*\s(?:.{0,200}?\s)?-p(?P<secret>[^\s-]\S*)",
    rf"\bldap\w+\s(?:.{{0,200}}?\s)?-w\s*{VALUE}",
    rf"\bredis-cli\s(?:.{{0,200}}?\s)?-a\s+{VALUE}",
    r"^\d+\s+(?:MD5|SHA\d+|AES\d+|TIGER|WHIRLPOOL)\s+(?:HEX|ASCII):(?P<secret>\S+)",
    rf":\s*(?:PSK|EAP|NTLM|XAUTH|PIN|(?:RSA|ECDSA|P12)\s+\S+)\s+{VALUE}",
    r"\"(?P<secret>[^\"]+)\";?\s*##\s*SECRET-DATA",
    r"(?P<secret>\$(?:1|2[aby]?|5|6|7|8|9|y|gy|14|argon2\w*)\$[A-Za-z0-9./$+,=_-]{6,})",
    r"-----BEGIN [A-Z ]*PRIVATE KEY-----(?:\\n|\s)*(?P<secret>[A-Za-z0-9+/=\\ ]+?)(?:\\n|\s)*-----END",
)


@cache
def announced() -> tuple[re.Pattern[str], ...]:
    """What announces a secret: each with the `secret`, some with the `name` that announces it. A verdict masks
    nothing, and does not wait for them."""
    return tuple(re.compile(pattern, re.IGNORECASE) for pattern in (*_OWN, *_KEYED, *_TAGGED, *_SPOKEN))


HINTS = (
    *("passw", "passp", "pass_p", "pass-p", "passk", "passc", "secret", "communit", "com2sec"),
    *("key", "psk", "auth", "$", "token", "priv"),
    *(
        "://",
        "-name",
        "sink",
        "trap-group",
        "requirepass",
        "bindpw",
        "sshpass",
        "mysql",
        "createuser",
        "redis",
        "ldap",
        "pkcs12",
        "cipher",
        "ipmitool",
        "manager environment",
        "cookie",
        '"pass"',
        "'pass'",
        "pmk",
        "noauth",
        "security model",
        "--user",
        "md5",
        "sha",
        "aes",
    ),
    *("hex", "ascii", "cak", "enc", "aead", "esp", "snmp", "proxy", "vrrp", "standby", "glbp", "hsrp"),
    *(" -u", ": rsa", ": ecdsa", ": p12", ": eap", ": ntlm", ": xauth", ": pin", "tiger", "whirlpool"),
)
"""No place is without one of these (a test holds them to that); looking for them first is many times faster."""

_ABOUT = re.compile(
    r"(?:expir\w*|age|aging|policy|type|id|length|retr\w*|minimum|maximum|names?|file|path|enabled?|required|timeout|recovery"
    r"|encryption|manage\w*|mgmt|algorithm|chain|strength|history|format|hash-algo|lifetime|attempts|count|prompt|change\w*)$",
    re.IGNORECASE,
)
_NAMES = re.compile(r"(?:community[-_ ]?name|securityname|text-name|binary-name)$", re.IGNORECASE)
"""A name that is a secret itself."""
_NO_SECRET = re.compile(
    r"!|\*+|encryption:?|aging:?|recovery|policy|minimum|md5|sha(?:-?\d\S*)?|none|required|ok|is|attributes?|ckn|cak|key-chain"
    r"|shared-secret|lifetime|strength-check",
    re.IGNORECASE,
)
"""What is said of secrets in general, or announces one itself."""
_LACKING = re.compile(
    r"(?:not (?:required|configured|set)|mismatch (?:from|for|with)|for \S+ (?:changed|expired)|entered (?:for|by)"
    r"|rules apply|for (?:invalid user )?\S+ from \S+ port|authentication (?:enabled|disabled)"
    r"|minimum-(?:length|changes|numerics|upper-cases|lower-cases|punctuations|reuse) \d+"
    r"|(?:requisite|required|sufficient|optional) \S*pam_\w+)\b"
)
"""Prose about a secret. Each takes two words at least: one alone may be the secret."""
_FOLLOWS = re.compile(
    r"\d|//|#|!|\{|\}|;|[\w-]*(?:lifetime|port|time|key|level-\d|algorithm)\b|(?:role|priv\w*|auth\w*|ro|rw|view|ipv6|use-acl|group"
    r"|address|access|realm|hidden|accounting|config|bgp|ospf|profile|id|accept|from|to|ssh|scp|vrf|log|fallback|accept|generate"
    r"|localizedv2key|hostname|clients|version|targets|ip|members|add|login|time\w*|read-only|read-write"
    r"|\S+://\S*|udp-port|encrypted|md5|sha\d*|-\S+|via|dev|proto|source-interface|mode|dst|src|DES|AES)\b",
    re.IGNORECASE,
)
_SPACE = re.compile(r"\s*+")
_WHOLE_LINE = re.compile(r"(?:password|secret|key-string|passphrase)\b", re.IGNORECASE)


def secrets_in(line: str, place: re.Pattern[str]) -> list[tuple[int, int]]:
    """Where in a line the secrets stand that a place announces, in order, without the quotes around them."""
    spans: list[tuple[int, int]] = []
    at = 0
    while match := place.search(line, at):
        begin, end = match.span("secret")
        at = begin  # what is none may announce one
        if spans and begin < spans[-1][1]:  # of one that took the rest of the line
            continue
        name = match.groupdict().get("name") or ""
        if "word" in place.groupindex and _names_a_file(line, match.start()):
            continue
        name = name.strip("\"'")
        if (
            (_ABOUT.search(name) and not _NAMES.search(name))
            or _LACKING.match(line, begin)
            or "<masked:" in match["secret"]
            or _NO_SECRET.fullmatch(match["secret"].strip("\"':.,;"))
        ):
            continue
        if line[begin] in "\"'":
            begin, end = begin + 1, end - (end - begin > 1 and line[end - 1] == line[begin])
        else:
            end = _end(line, match, end)
        if end > begin:
            spans.append((begin, end))
            at = max(at, end)
    return spans


def _names_a_file(line: str, at: int) -> bool:
    """Whether the word that goes on at a place began behind what parts the names of a path, or of a tag."""
    while at and (line[at - 1].isalnum() or line[at - 1] in "_-"):
        at -= 1
    return line[at - 1 : at] in ("/", ".", "<", ":")


def _end(line: str, match: re.Match[str], end: int) -> int:
    """Where an unquoted secret ends: with its word, or with the line, where nothing follows that is known to."""
    announced = line[match.start() : match.start("secret")]
    if line[end : end + 1] not in (" ", "\t") or not _WHOLE_LINE.search(announced):
        return end
    follows = _SPACE.match(line, end)
    assert follows is not None, "it matches nothing as well"
    if follows.end() == len(line) or _FOLLOWS.match(line, follows.end()):
        return end
    return len(line.rstrip())
