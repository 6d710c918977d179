"""Coupons: small test parts made by code, and what a shop's own outcomes say about its material.

`shapes` makes the parts, `outcomes` reads what came out, `ladders` and `scatter` fit, `kinds` puts them together,
`measured` writes values into a material. No jobs, no supports.
"""
