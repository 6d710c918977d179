"""The build board of a shop: builds that several technicians fill, a row a part, in the shop library.

`documents` says what a row holds, `rows` what is read of it, `board` reads and writes the tables, `syncing` brings a
job and its build together, `outcomes` draws conclusions from what came out. Nothing here draws or derives.
"""
