"""What happens in an interval of a step-down stage, told from the states of its switches and diodes."""

_FEED, _RESET, _FREE = ("the switches are on: the secondary feeds the filter",
                        "the switches are off: the core gives its magnetising current back to the bus",
                        "the filter inductor freewheels, the core is reset")


def interval_name(states: dict[str, int], before: str) -> str:
    """What happens in an interval, from the states of switches and diodes in it and from what happened before."""
    if "dfeed2" in states:
        return _bridge_interval(states, before)
    if "sclamp" in states:
        return _active_interval(states)
    if "dreset" in states:
        return _reset_interval(states, before)
    if states["supper"]:
        return ("the leakage takes the load current over from the freewheeling rectifier" if states["dfree"] and states["dfeed"] else _FEED
                if states["dfeed"] else "the switches are on, the filter inductor is not fed yet")
    if states["dlow"] or states["dhigh"]:
        return "the leakage gives its energy back to the bus" if states["dfeed"] and states["dfree"] else _RESET
    if before == _FEED:
        return "the load current charges the switches' node capacitance"
    return _FREE if states["dfree"] or states["dfeed"] else "nothing conducts: the output capacitors carry the load"


def _active_interval(states: dict[str, int]) -> str:
    """The same for a single switch with an active clamp."""
    both = bool(states["dfeed"] and states["dfree"])
    if states["slower1"]:
        return ("the leakage takes the load current over from the freewheeling rectifier" if both else _FEED if states["dfeed"]
                else "the switch is on, the filter inductor is not fed yet")
    if states["sclamp"] or states["dclamp1"]:
        return "the leakage empties into the clamp capacitor" if both else "the clamp capacitor resets the core and turns its current round"
    return "the node moves: the load current lifts it, or the core's current brings it down"


def _reset_interval(states: dict[str, int], before: str) -> str:
    """The same for a single switch with a reset winding."""
    if states["slower1"]:
        return ("the leakage takes the load current over from the freewheeling rectifier" if states["dfree"] and states["dfeed"] else _FEED
                if states["dfeed"] else "the switch is on, the filter inductor is not fed yet")
    if states["dclamp1"]:
        return "the leakage to the reset winding empties into the clamp"
    if states["dreset"]:
        return ("the leakage gives its energy back through the reset winding" if states["dfeed"] and states["dfree"]
                else "the reset winding gives the magnetising current back to the bus")
    if before == _FEED:
        return "the load current charges the switch's node capacitance"
    return _FREE if states["dfree"] or states["dfeed"] else "nothing conducts: the output capacitors carry the load"


def _bridge_interval(states: dict[str, int], before: str) -> str:
    """The same for a bridge with a centre tap."""
    both = bool(states["dfeed"] and states["dfeed2"])
    if any(on for name, on in states.items() if name.startswith("s")):
        return ("the leakage takes the load current over from the freewheeling half" if both else _FEED
                if states["dfeed"] or states["dfeed2"] else "the switches are on, the filter inductor is not fed yet")
    if any(on for name, on in states.items() if name.startswith("dclamp")):
        return "the leakage between the halves empties into the clamp"
    if any(on for name, on in states.items() if name.startswith(("dupper", "dlower"))):
        return "the leakage gives its energy back to the bus"
    if before == _FEED:
        return "the load current charges the switches' node capacitance"
    return ("the filter inductor freewheels through both halves" if states["dfeed"] or states["dfeed2"]
            else "nothing conducts: the output capacitors carry the load")


def shifted_interval(states: dict[str, int], before: str) -> str:
    """The same for two legs whose shift makes the pulse."""
    both = bool(states["dfeed"] and states["dfeed2"])
    a, b = (states[f"supper{leg}"] + states[f"dupper{leg}"] - states[f"slower{leg}"] - states[f"dlower{leg}"] for leg in "ab")
    if not a or not b:
        return ("the filter's current charges the node of the leg that ends the pulse" if not a
                else "the leakage charges the node of the leg that begins the pulse")
    if a * b < 0:
        return ("the bus turns the current of the leakage over: the duty lost" if both else _FEED if states["dfeed"] or states["dfeed2"]
                else "the bridge is on, the filter inductor is not fed yet")
    if states["dfeed"] or states["dfeed2"]:
        return "the primary current circulates through two switches, the filter inductor freewheels"
    return "the magnetising current circulates, the output capacitors carry the load"
