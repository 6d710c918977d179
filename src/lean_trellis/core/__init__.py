"""The computation: everything that is true without a screen.

Data flows one way: mesh, formats, shop -> parts -> overhang -> supports -> sets -> job -> checks
-> release -> pipeline. Nothing here imports Qt, VTK or the studio.
"""
