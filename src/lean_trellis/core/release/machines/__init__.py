"""Simulated machines: what arrives at one, what it checks, how it builds, and how a program talks to it.

`protocol` is what both sides agree on. The machine's side: `file_volumes`, `inspection`, `practice`, `server`. The
program's side: `client`, `register`. Nothing here knows how a build is made; a machine believes nothing of what it is
sent.
"""
