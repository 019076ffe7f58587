"""Settings of the application: from the command line, the environment (HARDY_GAUGE_…), or a configuration file."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, SecretStr
from pydantic_settings import BaseSettings, NoDecode, SettingsConfigDict, TomlConfigSettingsSource
from pydantic_settings import PydanticBaseSettingsSource as Source

from hardy_gauge.core.figures.units import byte_size
from hardy_gauge.logs import Form


def _several(value: object) -> object:
    """A list from "a, b" of the environment."""
    return value.replace(",", " ").split() if isinstance(value, str) else value


def own_data_folder() -> Path:
    """Where the user's programs keep their data (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "hardy-gauge"


def configuration_file() -> Path:
    """HARDY_GAUGE_CONFIG, or the user's own configuration (XDG Base Directory Specification)."""
    home = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config")
    return Path(os.environ.get("HARDY_GAUGE_CONFIG") or home / "hardy-gauge" / "config.toml")


def built_interface() -> Path:
    """Beside the modules of an installed package; in a working copy where it was built."""
    installed = Path(__file__).parent / "interface"
    return installed if installed.is_dir() else Path(__file__).parents[2] / "web" / "dist"


FactorOf = Literal["nobody", "administrators", "everyone"]


class AppSettings(BaseSettings):
    """Where the data is, where the application listens, and what it captures."""

    model_config = SettingsConfigDict(env_prefix="HARDY_GAUGE_")

    @classmethod
    def settings_customise_sources(
        cls, settings_cls: type[BaseSettings], init_settings: Source, env_settings: Source, dotenv_settings: Source,
        file_secret_settings: Source,
    ) -> tuple[Source, ...]:  # fmt: skip
        """Options count before the environment, and that before the configuration file."""
        return init_settings, env_settings, TomlConfigSettingsSource(settings_cls, toml_file=configuration_file())

    data: Path = Field(default_factory=own_data_folder, description="folder of the store")
    host: str = Field("127.0.0.1", description="address to listen on")
    port: int = Field(8642, ge=1, le=65535, description="port to listen on")
    public_address: str = Field("", description="address under which browsers reach it, where a proxy stands before it")
    oidc_issuer: str = Field("", description="issuer of an OpenID Connect provider through which people sign in")
    oidc_client: str = Field("", description="what the provider calls this application")
    oidc_secret: SecretStr = Field(SecretStr(""), description="the application's secret at the provider")
    oidc_name: str = Field("single sign-on", description="what the provider is called on the sign-in sheet")
    oidc_name_claim: str = Field("preferred_username", description="claim with the person's name")
    oidc_groups_claim: str = Field("groups", description="claim with the person's groups")
    oidc_roles: Annotated[list[str], NoDecode, BeforeValidator(_several)] = Field(
        default_factory=list, description="roles of the provider's groups, such as dba:engineer,leads:administrator"
    )
    oidc_role: str = Field("", description="role of people in none of these groups; without it they cannot sign in")
    log_format: Form = Field("text", description="how the log is written: text, or json")
    log_level: Literal["debug", "info", "warning", "error"] = Field("warning", description="least level that is logged")
    tls_cert: Path | None = Field(
        None, description="certificate as PEM, with the chain: it answers over TLS alone then"
    )
    tls_key: Path | None = Field(None, description="key of the certificate as PEM")
    web: Path = Field(default_factory=built_interface, description="folder of the built interface")
    servers: list[str] = Field(default_factory=list, description="addresses of probes whose servers are captured")
    write_every_s: float = Field(10.0, ge=1, le=60, description="seconds between writes of what was gathered")
    allowed_hosts: Annotated[list[str], NoDecode, BeforeValidator(_several)] = Field(
        default_factory=list,
        description="names under which it answers beside loopback ones and, where it listens for others, IP addresses",
    )
    files: Path | None = Field(None, description="folder below which SQLite files may be servers; none without it")
    second_factor_of: FactorOf = Field(
        "nobody", description="people who need a second factor: nobody, administrators, or everyone"
    )
    allow_networks: Annotated[list[str], NoDecode, BeforeValidator(_several)] = Field(
        default_factory=list,
        description="networks that servers may be in although they are special: loopback, link-local and the like",
    )
    only_networks: Annotated[list[str], NoDecode, BeforeValidator(_several)] = Field(
        default_factory=list, description="the only networks that servers may be in; empty for all but special ones"
    )
    trial_memory: Annotated[int, BeforeValidator(byte_size), Field(ge=2**26)] = Field(
        4 * 2**30, description="bytes of memory that the workers of a SQLite trial may use together"
    )
    import_memory: Annotated[int, BeforeValidator(byte_size), Field(ge=2**26)] = Field(
        4 * 2**30, description="bytes of memory that reading one imported file or bundle may take"
    )
    trial_disk: Annotated[int, BeforeValidator(byte_size), Field(ge=2**26)] = Field(
        8 * 2**30, description="bytes of disk that the copies of a SQLite trial's file may take"
    )
    backups: Path | None = Field(
        None, description="folder of scheduled backups; by default 'backups' in the data folder"
    )
    backup_passphrase: SecretStr = Field(SecretStr(""), description="scheduled backups are encrypted with it")
    demo: bool = Field(False, description="the fleet is the practice fleet")

    @property
    def backup_folder(self) -> Path:
        return self.backups or self.data / "backups"

    def as_environment(self) -> dict[str, str]:
        """What a process started by this one has to know."""
        return {
            "HARDY_GAUGE_SERVERS": json.dumps(self.servers), "HARDY_GAUGE_DEMO": str(self.demo),
            "HARDY_GAUGE_ALLOW_NETWORKS": ",".join(self.allow_networks),
            "HARDY_GAUGE_ONLY_NETWORKS": ",".join(self.only_networks),
            **({"HARDY_GAUGE_FILES": str(self.files)} if self.files else {}),
        }  # fmt: skip

    @property
    def store_path(self) -> Path:
        return self.data / "hardy-gauge.db"
