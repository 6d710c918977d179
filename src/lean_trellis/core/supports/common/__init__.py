"""What all families share: parameters, requests, supports as kept, structures, shapes in plan, the family object.

Nothing here knows a single family.
"""
