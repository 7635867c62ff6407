"""What the machine and the network offer: HTTP, services, rate limits, files, locks, archives.

In: addresses, settings of services, bytes. Out: replies, files that are wholly there or not at
all, archives opened within limits. This layer knows of no step of the pipeline.
"""
