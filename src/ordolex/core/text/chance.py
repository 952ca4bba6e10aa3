"""Probabilities in words."""


def chance(probability: float) -> str:
    """An inference is never quite sure, so none reads as 100 %, and none as 0 %."""
    if probability > 0.99:
        return "over 99 %"
    return "under 1 %" if probability < 0.005 else f"{probability * 100:.0f} %"
