"""The truth test: against stand-in probes whose hidden truth is known, from one seed. The table stands in docs/accuracy.md."""

from tests.bench.accuracy import measure


def test_benches_come_near_the_truth_and_faults_are_named():
    found = measure()
    assert found.two_point_rmse <= 2.0
    assert found.weighed_rmse <= 0.8
    assert found.pore_95_pct <= 8.0
    assert found.named_share >= 0.95
    assert found.healthy_doubted / found.healthy <= 0.02
