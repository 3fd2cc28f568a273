"""One saved answer, read into records, with whatever could not be read."""

import nogging

ANSWER = """\
O>* 198.51.100.8/30 [110/20] via 198.51.100.2, eth1, weight 1, 00:00:22
  *                          via 198.51.100.6, eth2, weight 1, 00:00:22
S>* 203.0.113.64/26 [1/0] unreachable (blackhole), weight 1, 1d02h03m
what is this
"""

reading = nogging.read(ANSWER, dialect="frr", command="show ip route")
for route in reading.records["route"].to_pylist():
    print(route["destination_prefix"], route["next_hop_address"], route["outgoing_interface"])
for line in reading.unread:
    print(f"line {line.line} is unread: {line.text}")
