"""Own core loss points: the fit against points made from a known surface, files with faults, and the way through the window."""

import numpy as np
import pytest

from rhevectra.core.basis.errors import InputError
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.magnetics.loss_fit import COLUMNS, fit, material_row, read_points, surface
from rhevectra.drawing.loss_fit import fit_picture

F, B, T = (x.ravel() for x in np.meshgrid([50e3, 100e3, 200e3], [0.05, 0.1, 0.2], [25.0, 60.0, 100.0]))


def loss(f, b, t, alpha=1.5, beta=2.6, t0=88.0, c=1.4e-4):
    """A ferrite made up for the test: 70 kW/m³ at 100 kHz and 100 mT, least at t0."""
    return 7e4 * (f / 1e5) ** alpha * (b / 0.1) ** beta * (1 + c * (t - t0) ** 2)


def as_csv(rows):
    return "\n".join([",".join(COLUMNS), *(",".join(f"{x:.8g}" for x in r) for r in rows)])


def test_points_of_a_known_surface_give_it_back():
    found = fit(F, B, T, loss(F, B, T))
    assert found.warm and np.abs(found.off).max() < 1e-5
    v = found.values
    assert (v["loss_alpha"], v["loss_beta"], v["loss_t_min_c"], v["loss_t_curvature_1_k2"]) == pytest.approx((1.5, 2.6, 88.0, 1.4e-4),
        rel=1e-4)
    assert float(surface(v, 130e3, 0.07, 75.0)) == pytest.approx(loss(130e3, 0.07, 75.0), rel=1e-4)


def test_scattered_points_are_off_by_what_they_scatter():
    """Ten per cent of scatter: the exponents come back within their error, and the residuals are as large as the scatter."""
    rng = np.random.default_rng(4)
    p = loss(F, B, T) * np.exp(0.1 * rng.standard_normal(len(F)))
    found = fit(F, B, T, p)
    assert 0.06 < np.sqrt(np.mean(np.log(found.fitted / p) ** 2)) < 0.12
    by_lines = np.linalg.lstsq(np.column_stack([np.ones_like(F), np.log(F), np.log(B), T, T**2]), np.log(p), rcond=None)[0]
    assert found.values["loss_alpha"] == pytest.approx(by_lines[1], abs=0.01) and found.values["loss_beta"] == pytest.approx(by_lines[2],
        abs=0.01)


def test_one_temperature_is_taken_as_usual_and_said():
    at = np.full(4, 100.0)
    found = fit(np.array([5e4, 5e4, 2e5, 2e5]), np.array([0.05, 0.2, 0.05, 0.2]), at,
                loss(np.array([5e4, 5e4, 2e5, 2e5]), np.array([0.05, 0.2, 0.05, 0.2]), at))
    assert not found.warm and found.values["loss_t_min_c"] == 95.0 and np.abs(found.off).max() < 1e-6


@pytest.mark.parametrize(("text", "word"),
                         [("frequency_hz,flux_t\n1,2", "temperature_c"), (as_csv([(1e5, 0.1, 100, 7e4)] * 3), "too few"),
                          (as_csv([(1e5, 0.1, 100, 7e4)] * 5).replace("70000", "x", 1), "line 2"),
                          (as_csv([(1e5, -0.1, 100, 7e4)] * 5), "cannot be used"),
                          (as_csv([(1e5, 0.1, 100, 7e4), (1e5, 0.2, 100, 4e5), (1e5, 0.3, 100, 9e5), (1e5, 0.4, 100, 2e6)]), "vary apart"),
                          (as_csv([(5e4, 0.1, 100, 7e4), (1e5, 0.1, 100, 6e4), (5e4, 0.2, 100, 7e4), (1e5, 0.2, 100, 6e4)]),
                           "no core material")])
def test_what_is_wrong_with_a_table_is_said_in_one_sentence(text, word):
    with pytest.raises(InputError, match=word) as caught:
        fit(*read_points(text, "points.csv"), "points.csv")
    assert "points.csv" in str(caught.value) and "\n" not in str(caught.value)


def test_a_kept_row_is_a_row_of_the_catalogue():
    row = material_row("own-9", fit(F, B, T, loss(F, B, T)), shipped()["materials"].row("PW3"))
    assert set(row) == set(shipped()["materials"].rows[0]) and row["b_sat_100_t"] == shipped()["materials"].row("PW3")["b_sat_100_t"]


def test_the_picture_shows_every_point_twice():
    picture = fit_picture(fit(F, B, T, loss(F, B, T)), 140.0, 110.0)
    assert sum(len(getattr(i, "points", [])) == 8 for i in picture.items) == 2 * len(F)
    for item in picture.items:
        for x, y in item.points if hasattr(item, "points") else [(item.x, item.y)]:
            assert -0.5 <= x <= 140.5 and -0.5 <= y <= 110.5


def test_points_become_a_material_that_the_design_uses(qtbot, window, tmp_path):
    """In the window: open, read the words, keep; then the class can be pinned, and a core of half the loss heats less."""
    path = tmp_path / "points.csv"
    path.write_text(as_csv(zip(F, B, T, loss(F, B, T) / 2, strict=True)), encoding="utf-8")
    window.go("Wind")
    bench = window.wind_desk.loss
    window.wind_desk.tabs.setCurrentIndex(2)
    bench.load(path)
    assert "f^1.50" in bench.words.text() and "B^2.60" in bench.words.text() and bench.view.isVisible()
    before = float(window.session.design.value("transformer.loss_core"))
    bench.name.setText("own-half")
    bench.keep.click()
    assert "own-half" in window.session.catalogue["materials"].names and "own-half" in window.statusBar().currentMessage()
    window.session.pin("transformer.material", "own-half")
    window.show_all()
    assert float(window.session.design.value("transformer.loss_core")) < 0.8 * before
    path.write_text("nonsense", encoding="utf-8")
    bench.load(path)
    assert "missing" in bench.words.text() and bench.found is not None
    bench.load(tmp_path / "absent.csv")
    assert "cannot be read" in bench.words.text()
