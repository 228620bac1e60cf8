"""Probes: small computers that listen elsewhere and send what they hear through an MQTT broker into a case.

docs/reliability.md, "Probes", says who keeps what until when.
"""
