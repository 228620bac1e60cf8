"""Facts and formulas of the air: channels, masks, floors, rates, airtime, country rules.

Nothing here knows a case, a file or a screen; inputs are numbers and NumPy arrays.
"""
