"""What a bench's captures give by its method: a draft of a calibration, or why they give none and at which field."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from places.beds import capacity_of
from places.plumbing import core_tank
from places.substrates import medium_of
from reedcore import devices, electrodes
from reedcore.calibration import MIN_POINT_SHARE, CalibrationPoint, two_point_calibration
from reedcore.curves import Curve, Form, line_through, slope_of_curve, value_from_curve
from reedcore.errors import Inconsistent, NotDetermined, OutOfRange, require_range
from reedcore.fits import Choice, Fit, band_95, compare_fits
from reedcore.methods import method
from reedcore.permittivity import fit_refractive, topp_curve
from reedcore.sensors import quantity
from reedcore.standards import standard
from reedcore.weighing import water_content_from_mass

from .models import BenchSession, Capture

ION_CHARGE = {"nitrate": -1, "potassium": 1}


@dataclass
class FitRow:
    """One form that was tried."""

    form: str
    rmse: float
    loo_rmse: float | None
    monotonic: bool
    chosen: bool


@dataclass
class Draft:
    """A calibration that could be published. residuals in the order of the captures; figures: what the method found."""

    curve: Curve
    gives: str
    residuals: list[float]
    noise_raw: float
    resolution: float | None
    rmse: float | None = None
    loo_rmse: float | None = None
    words: str = ""
    passed: bool = True
    provisional: bool = False
    figures: dict[str, float] = field(default_factory=dict)
    fits: list[FitRow] = field(default_factory=list)
    fit: Fit | None = None

    def line(self, points: int = 41) -> tuple[list[float], list[float], list[float], list[float]]:
        """x, y and the 95 % band of the curve over its range; an empty band where nothing judges it."""
        margin = 0.06 * (self.curve.high - self.curve.low)
        x = np.linspace(self.curve.low - margin, self.curve.high + margin, points)
        y = np.asarray(value_from_curve(x, self.curve))
        if self.fit is None or self.fit.dof < 1 or self.fit.curve is not self.curve:
            return x.tolist(), y.tolist(), [], []
        low, high = band_95(self.fit, x.tolist())
        return x.tolist(), y.tolist(), low.tolist(), high.tolist()


def reference_of(session: BenchSession, kind: str, inputs: dict[str, Any], raw: float) -> float | None:
    """What a capture is worth, from what was typed with it. Raises OutOfRange or Inconsistent at the field that is wrong."""
    card = method(session.method).card(kind)
    if session.method == "air_water":
        return 0.0 if kind == "dry" else 1.0
    if card.asks == "theta":
        return require_range("theta", _number(inputs, "theta"), 0, 1, "m³/m³")
    if card.asks == "mass_g":
        return _weighed(session, _number(inputs, "mass_g"))
    if card.asks == "standard":
        if inputs.get("standard"):
            return standard(str(inputs["standard"])).at(_number(inputs, "temp_c"))
        return _number(inputs, "value")
    if card.asks == "value":
        return _number(inputs, "value")
    if card.asks == "run":
        return _number(inputs, "millilitres")
    return 0.0 if kind == "zero" else None


def _number(inputs: dict[str, Any], name: str) -> float:
    value = inputs.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float) or value != value:
        raise OutOfRange(name, value, "a number")
    return float(value)


def _weighed(session: BenchSession, mass_g: float) -> float:
    s = session.settings
    missing = [n for n in ("container_g", "dry_g", "volume_l") if not isinstance(s.get(n), int | float)]
    if missing:
        raise NotDetermined(missing[0], None, "the pot's tare, dry mass and volume before the first weighing")
    try:
        return water_content_from_mass(mass_g, s["dry_g"], s["container_g"], s["volume_l"], s.get("temp_c") or 20.0)
    except Inconsistent as error:
        raise Inconsistent("mass_g", mass_g, error.expectation) from None


def proposed_theta(session: BenchSession, kind: str) -> tuple[float, str] | None:
    """θ proposed for a card of a substrate bench, with its origin."""
    channel = session.channel
    if channel is None or channel.bed is None:
        return None
    bed, m = channel.bed, medium_of(channel.bed)
    if kind == "wet":
        return round(capacity_of(bed), 3), f"{m.name} capacity at {bed.height_cm:g} cm, {m.origin}"
    return round(m.dry_mix_theta, 3), f"air-dried {m.name}, {m.origin}"


def span_of(session: BenchSession) -> float:
    """Raw change that counts as the whole way of this sensor: what steadiness and differences are judged by."""
    channel = session.channel
    if channel is None:
        return 1.0
    if channel.quantity == "raw" and channel.probe is not None:
        return channel.probe.span_raw
    usual = {
        "permittivity": 40,
        "suction": 20,
        "feed_ec": 4,
        "bulk_ec": 3,
        "ph": 4,
        "humidity": 50,
        "par": 800,
        "radiation": 400,
    }
    usual |= {"co2": 400, "nitrate": 300, "potassium": 300, "distance": 100, "drain_weight": 5000}
    q = quantity(channel.quantity)
    return float(usual.get(channel.quantity, min(q.high - q.low, 25.0)))


def draft_of(session: BenchSession, captures: list[Capture], form: str = "") -> Draft | None:
    """The draft the captures give; None while more are needed. Raises ReedError where they contradict each other."""
    maker = _MAKERS[session.method]
    made = maker(session, captures, form)
    if made is not None:
        made.provisional = method(session.method).provisional
    return made


def _noise(captures: Iterable[Capture]) -> float:
    return max((c.noise_raw for c in captures), default=0.0)


def _finish(session: BenchSession, captures: list[Capture], curve: Curve, **more: Any) -> Draft:
    gives = method(session.method).gives
    channel = session.channel
    gives = channel.quantity if gives == "same" and channel is not None else gives
    noise = _noise(captures)
    middle = (curve.low + curve.high) / 2
    per = abs(float(slope_of_curve(middle, curve)))
    scale = 100 if gives == "theta" else 1
    residuals = [
        (c.reference - float(value_from_curve(c.raw, curve))) if c.reference is not None else 0.0 for c in captures
    ]
    return Draft(curve, gives, residuals, noise, scale * 2 * noise * per, **more)


def _by_kind(captures: list[Capture]) -> dict[str, Capture]:
    return {c.kind: c for c in captures}


def _two_point(session: BenchSession, captures: list[Capture], form: str) -> Draft | None:
    held = _by_kind(captures)
    if "dry" not in held or "wet" not in held:
        return None
    dry, wet = held["dry"], held["wet"]
    assert dry.reference is not None and wet.reference is not None
    line = two_point_calibration(
        CalibrationPoint(dry.raw, dry.noise_raw, dry.reference),
        CalibrationPoint(wet.raw, wet.noise_raw, wet.reference),
        span_of(session),
    )
    curve = line_through(dry.raw, dry.reference, wet.raw, wet.reference)
    falls = "falls" if line.raw_falls_as_water_rises else "rises"
    counts = abs(0.01 / line.slope)
    words = f"Raw {falls} as water rises; one point of water is {counts:.0f} counts."
    return _finish(session, [dry, wet], curve, words=words, figures={"counts_per_point": 0.01 / line.slope})


def _fitted(session: BenchSession, captures: list[Capture], form: str) -> Draft | None:
    points = [c for c in captures if c.reference is not None]
    if len(points) < 2:
        return None
    x, y = [c.raw for c in points], [float(c.reference or 0) for c in points]
    if max(x) - min(x) < MIN_POINT_SHARE * span_of(session):
        raise NotDetermined(
            "mass_g",
            round(max(x) - min(x)),
            f"captures at least {MIN_POINT_SHARE * span_of(session):.0f} counts apart, from dry to wet",
        )
    choice = compare_fits(x, y)
    if form and form not in [f.curve.form for f in choice.fits if f.monotonic]:
        raise NotDetermined("form", form, "a form that only rises or only falls over the captured range")
    best = next((f for f in choice.fits if f.curve.form == form), choice.best)
    figures = {"residual_sd_points": 100 * best.residual_sd}
    return _finish(
        session, points, best.curve, rmse=best.rmse, loo_rmse=best.loo_rmse, words=_choice_words(choice, best),
        fits=_fit_rows(choice, best), fit=best, figures=figures,
    )  # fmt: skip


def _choice_words(choice: Choice, best: Fit) -> str:
    own = "" if best.curve.form is choice.chosen else f"Chosen by hand against the proposal {choice.chosen.value}. "
    return f"{own}{choice.why[0].upper()}{choice.why[1:]} points."


def _fit_rows(choice: Choice, best: Fit) -> list[FitRow]:
    return [
        FitRow(f.curve.form.value, f.rmse, None if f.loo_rmse != f.loo_rmse else f.loo_rmse, f.monotonic, f is best)
        for f in choice.fits
    ]


def _topp(session: BenchSession, _captures: list[Capture], _form: str) -> Draft | None:
    return _finish(session, [], topp_curve(), words="Made on mineral soil; in soilless mix a starting value.")


def _refractive(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    points = [c for c in captures if c.reference is not None]
    if len(points) < 2:
        return None
    fit = fit_refractive([c.raw for c in points], [float(c.reference or 0) for c in points])
    b, a = fit.curve.coefficients
    loo = None if fit.loo_rmse != fit.loo_rmse else fit.loo_rmse
    words = f"θ = {a:.4f} √ε - {-b:.4f}; mineral soil has 0.1138 and 0.1758."
    return _finish(
        session, points, fit.curve, rmse=fit.rmse, loo_rmse=loo, words=words, fit=fit, figures={"a": a, "b": -b}
    )


def _suction(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    held = _by_kind(captures)
    if "zero" not in held:
        return None
    known = held.get("known")
    curve = devices.suction_curve(held["zero"].raw, known.raw if known else None, known.reference if known else None)
    words = f"Zero was off by {held['zero'].raw:.2f} kPa."
    return _finish(session, captures, curve, words=words, figures={"zero_kpa": held["zero"].raw})


def _ec(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if not captures:
        return None
    cell = electrodes.cell_from_standards([c.raw for c in captures], [float(c.reference or 0) for c in captures])
    figures = {"cell_share": cell.cell_share, "offset_ms_cm": cell.offset_ms_cm}
    words = f"The cell counts {cell.cell_share:.3f} times what it was set to"
    words += (
        f", with an offset of {cell.offset_ms_cm:+.3f} mS/cm."
        if cell.fit
        else "; a second standard would show an offset."
    )
    own = session.settings.get("second_ec")
    if own and session.settings.get("second_temp_c") is not None and captures[0].inputs.get("temp_c") is not None:
        alpha = electrodes.temperature_coefficient(
            float(captures[0].reference or 0),
            float(captures[0].inputs["temp_c"]),
            float(own),
            float(session.settings["second_temp_c"]),
        )
        figures["temperature_coefficient"] = alpha
        words += f" Temperature coefficient {100 * alpha:.2f} % per K."
    return _finish(session, captures, cell.curve, words=words, figures=figures, fit=cell.fit)


def _two_values(make: Callable[[list[float], list[float]], Curve], unit: str) -> Callable[..., Draft | None]:
    def draft(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
        if not captures:
            return None
        read, true = [c.raw for c in captures], [float(c.reference or 0) for c in captures]
        try:
            curve = make(read, true)
        except (Inconsistent, NotDetermined) as error:
            raise type(error)("value", error.value, error.expectation) from None
        offset = float(np.mean(np.array(read) - np.array(true)))
        words = f"It reads {abs(offset):.2f} {unit} {'high' if offset > 0 else 'low'} on average."
        return _finish(session, captures, curve, words=words, figures={"offset": offset})

    return draft


def _light(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if not captures:
        return None
    factor, scatter = devices.light_factor([c.raw for c in captures], [float(c.reference or 0) for c in captures])
    words = f"Factor {factor:.3f}" + (
        f", single pairs scatter by {scatter:.1f} %." if len(captures) > 1 else "; more pairs would show its scatter."
    )
    return _finish(
        session,
        captures,
        devices.factor_curve(factor, 3000.0),
        words=words,
        figures={"factor": factor, "scatter_pct": scatter},
    )


def _ph(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if len(captures) < 2:
        return None
    made = electrodes.ph_from_buffers(
        [c.raw for c in captures],
        [float(c.reference or 0) for c in captures],
        _temperature(captures),
        bool(session.settings.get("reads_mv")),
    )
    figures = {"slope_pct": made.slope_pct, "asymmetry_mv": made.asymmetry_mv}
    return _finish(
        session,
        captures,
        made.curve,
        words=_sentence(made.words) + _drift(session, captures),
        passed=made.passed,
        figures=figures,
    )


def _ion(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if len(captures) < 2:
        return None
    assert session.channel is not None
    made = electrodes.ion_from_standards(
        [c.raw for c in captures], [float(c.reference or 0) for c in captures], _temperature(captures),
        ION_CHARGE[session.channel.quantity], bool(session.settings.get("reads_mv")),
    )  # fmt: skip
    return _finish(
        session,
        captures,
        made.curve,
        words=_sentence(made.words) + _drift(session, captures),
        passed=made.passed,
        figures={"slope_pct": made.slope_pct},
    )


def _drift(session: BenchSession, captures: list[Capture]) -> str:
    """How far the calibration before has drifted by these captures, in a sentence; empty without one."""
    last = (
        session.channel.calibrations.filter(reverted_at=None).order_by("-number").first() if session.channel else None
    )
    if last is None:
        return ""
    off = [float(value_from_curve(c.raw, last.curve)) - float(c.reference or 0) for c in captures]
    worst = max(off, key=abs)
    days = (captures[-1].taken_at - last.published_at).total_seconds() / 86400
    return f" Version {last.number} has drifted by up to {worst:+.2g} in {days:.0f} days."


def _temperature(captures: list[Capture]) -> float:
    known = [float(c.inputs["temp_c"]) for c in captures if isinstance(c.inputs.get("temp_c"), int | float)]
    return sum(known) / len(known) if known else 25.0


def _sentence(words: str) -> str:
    return words[0].upper() + words[1:] + "."


def _co2(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if not captures:
        return None
    c = captures[-1]
    curve = devices.fresh_air_curve(c.raw, c.reference or devices.FRESH_AIR_CO2_PPM)
    return _finish(
        session,
        [c],
        curve,
        words=f"It read {c.raw - (c.reference or 0):+.0f} ppm against fresh air.",
        figures={"offset": c.raw - (c.reference or 0)},
    )


def _distance(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if len(captures) >= 2:
        curve = devices.litres_curve_from_fills([c.raw for c in captures], [float(c.reference or 0) for c in captures])
        return _finish(session, captures, curve, words=f"From {len(captures)} measured fills.")
    tank = session.channel.tank if session.channel else None
    shape = core_tank(tank) if tank else None
    if tank is None or shape is None or not tank.sensor_height_cm:
        return None
    return _finish(
        session,
        [],
        devices.litres_from_distance_curve(shape, tank.sensor_height_cm),
        words=f"From the sides of {tank.name}.",
    )


def _counted(
    make: Callable[[float, float], float], name: str, unit: str, per_count: bool
) -> Callable[..., Draft | None]:
    def draft(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
        held = _by_kind(captures)
        if "start" not in held or "end" not in held:
            return None
        counts = held["end"].raw - held["start"].raw
        if counts <= 0:
            raise Inconsistent("value", counts, "a counter that rose between before and after")
        amount = float(held["end"].reference or 0)
        figure = make(counts, amount)
        factor = figure if per_count else 1 / figure
        words = f"{figure:.3g} {unit}, from {counts:.0f} counts."
        return _finish(session, [], devices.factor_curve(factor, 1e9), words=words, figures={name: figure})

    return draft


def _tip_of(counts: float, amount: float) -> float:
    return devices.tip_ml(amount, counts)


def _scale(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    held = _by_kind(captures)
    if "zero" not in held or "known" not in held:
        return None
    curve = devices.scale_curve(held["zero"].raw, held["known"].raw, float(held["known"].reference or 0))
    return _finish(
        session,
        captures,
        curve,
        words=f"Empty it showed {held['zero'].raw:.0f} g.",
        figures={"zero_g": held["zero"].raw},
    )


def _doser(session: BenchSession, captures: list[Capture], _form: str) -> Draft | None:
    if not captures:
        return None
    rate, scatter = devices.doser_ml_per_s([float(c.reference or 0) for c in captures], [c.raw for c in captures])
    words = f"{rate:.3f} mL/s" + (
        f", runs scatter by {scatter:.1f} %." if len(captures) > 1 else "; a second run would show its scatter."
    )
    return _finish(
        session,
        captures,
        Curve(Form.LINEAR, (0.0, rate), 0.0, 3600.0),
        words=words,
        figures={"ml_per_s": rate, "scatter_pct": scatter},
    )


def _none(_session: BenchSession, _captures: list[Capture], _form: str) -> Draft | None:
    return None


_MAKERS: dict[str, Callable[[BenchSession, list[Capture], str], Draft | None]] = {
    "two_point": _two_point,
    "air_water": _two_point,
    "weighed": _fitted,
    "topp": _topp,
    "refractive": _refractive,
    "suction": _suction,
    "ec_standards": _ec,
    "temperature": _two_values(devices.temperature_curve, "K"),
    "humidity": _two_values(devices.humidity_curve, "%"),
    "light": _light,
    "ph": _ph,
    "co2": _co2,
    "ion": _ion,
    "distance": _distance,
    "flow_k": _counted(devices.flow_k_factor, "pulses_per_litre", "pulses per litre", per_count=False),
    "tip": _counted(_tip_of, "ml_per_tip", "mL per tip", per_count=True),
    "scale": _scale,
    "doser": _doser,
    "against": _none,
}
