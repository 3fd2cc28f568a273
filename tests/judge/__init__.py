"""A second judge, slow and obvious, that shares no code with `nogging.judging`; and small worlds that both judge."""
