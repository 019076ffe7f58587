"""Settings of the application, from the environment (HARDY_GAUGE_…) or the command line."""

from __future__ import annotations

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class AppSettings(BaseSettings):
    """Where the data is, where the application listens, and what it captures."""

    model_config = SettingsConfigDict(env_prefix="HARDY_GAUGE_")

    data: Path = Field(Path("data"), description="folder of the store")
    host: str = Field("127.0.0.1", description="address to listen on")
    port: int = Field(8642, ge=1, le=65535, description="port to listen on")
    web: Path = Field(Path(__file__).parents[2] / "web" / "dist", description="folder of the built interface")
    servers: list[str] = Field(default_factory=list, description="addresses of probes whose servers are captured")
    write_every_s: float = Field(10.0, ge=1, le=60, description="seconds between writes of what was gathered")
    demo: bool = Field(False, description="the fleet is the practice fleet")

    @property
    def store_path(self) -> Path:
        return self.data / "hardy-gauge.db"
