"""What a run hands out while it runs: its steps, its finished levels, and checkpoints to go on from."""
import io
import json
from dataclasses import dataclass, field

import numpy as np

CHECKPOINT_FORMAT = 1


class RunFailed(RuntimeError):
    """The run cannot give an answer; the message says why and what to try."""


@dataclass
class Progress:
    """One step of a run.

    Attributes
    ----------
    step : int
        Counted over all levels.
    level : str
    level_step : int
    residual, courant : float
    channels : dict
        Coefficients at this step.
    share : float
        Rough share of the whole work done.
    message : str
        A line for the log, often empty.
    """

    step: int
    level: str
    level_step: int
    residual: float
    courant: float
    channels: dict
    share: float
    message: str = ""


@dataclass
class MarchedLevel:
    """The level being marched: its discretisation, its march, and what has been read on it.

    `recent` holds the channels of its latest steps, `cells` what finds the cells in which probes stand,
    `lost` what measures the drag that is lost behind a wing.
    """

    name: str
    flow: object
    march: object
    steps: int = 0
    recent: list = field(default_factory=list)
    seconds: float = 0.0
    cells: dict = field(default_factory=dict)
    lost: object = None


@dataclass
class LevelResult:
    """What a finished level leaves behind."""

    level: str
    cells: int
    steps: int
    residual: float
    settled: bool
    seconds: float
    coefficients: dict
    changes: dict
    shocks: list
    separations: list
    quality: dict
    y_plus: dict | None = None


@dataclass
class Checkpoint:
    """Everything needed to go on with a run in another process."""

    sheet: str
    level: str
    state: np.ndarray
    march: dict
    history: list
    finished: list
    seconds: float
    time: dict | None = None
    arrays: dict = field(default_factory=dict)

    def to_bytes(self):
        """As compressed bytes."""
        head = {k: getattr(self, k) for k in ("sheet", "level", "march", "history", "finished", "seconds")}
        head["format"] = CHECKPOINT_FORMAT
        out = io.BytesIO()
        arrays = {}
        if self.time:
            head["time"] = {
                name: value
                for name, value in self.time.items() if not isinstance(value, np.ndarray)
            }
            arrays = {
                f"time_{name}": value
                for name, value in self.time.items() if isinstance(value, np.ndarray)
            }
        arrays |= {f"kept_{name}": value for name, value in self.arrays.items()}
        np.savez_compressed(out, state=self.state,
                            head=np.frombuffer(json.dumps(head).encode(), dtype=np.uint8), **arrays)
        return out.getvalue()

    @classmethod
    def from_bytes(cls, data):
        """Read what `to_bytes` wrote; raises `RunFailed` when it is damaged or of another version."""
        try:
            with np.load(io.BytesIO(data), allow_pickle=False) as stored:
                head = json.loads(bytes(stored["head"]))
                state = stored["state"]
                if head.get("time"):
                    head["time"].update(
                        {name[5:]: stored[name]
                         for name in stored.files if name.startswith("time_")})
                arrays = {name[5:]: stored[name] for name in stored.files if name.startswith("kept_")}
            version = head.pop("format", None)
            found = cls(state=state, arrays=arrays, **head) if version == CHECKPOINT_FORMAT else None
        # noqa: BLE001 - readers of damaged arrays raise whatever comes, from zlib to the parser of headers
        except Exception:
            raise RunFailed("The checkpoint is damaged. Run the sheet afresh.") from None
        if found is None:
            raise RunFailed(
                "The checkpoint was written by another version of Ventaris. Run the sheet afresh.")
        return found
