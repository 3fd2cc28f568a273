"""A change from before to after, judged, in a dozen lines.

The stand-in network takes the place of a real one: with your own inventory, the two lines that start it go away.
"""

import nogging
from nogging.standin import served

with served("teal-sound") as network:
    inventory = nogging.load_inventory(network.inventory)
    before = nogging.capture(inventory, to="teal-sound/before")

    network.network.devices["skerry-r1"].interfaces["GigabitEthernet0/2"].mtu = 1400  # somebody's doing
    network.network.settle()

    after = nogging.capture(inventory, to="teal-sound/after")

for difference in nogging.compare(before, after).differences[:3]:
    print(difference.device, difference.kind, difference.what, difference.fields)

judgement = nogging.check(network.expectations, after=after, before=before)
print(judgement.verdict)
for result in judgement.results:
    for failure in result.failures:
        print(f"{failure.device}: {result.title}: {failure.record}")
