//! Exceptions by which a device refuses a request (Modbus Application Protocol V1.1b3, 7): their names, and what to do.

use tokio_modbus::ExceptionCode;

/// What to do about an exception.
pub(super) fn remedy(code: ExceptionCode) -> &'static str {
    match code {
        ExceptionCode::IllegalFunction => {
            "the device does not know this kind of request: compare the table with its list; a bit of a register needs function 22"
        }
        ExceptionCode::IllegalDataAddress => {
            "compare the addresses with the list of the device: they count from 0 as on the wire"
        }
        ExceptionCode::IllegalDataValue => {
            "compare the value, and how many registers it takes, with the list of the device"
        }
        ExceptionCode::Acknowledge | ExceptionCode::ServerDeviceBusy => "give the device more time: a longer `every`",
        ExceptionCode::GatewayPathUnavailable | ExceptionCode::GatewayTargetDevice => {
            "check `unit`, and the wire from the gateway to the device"
        }
        ExceptionCode::ServerDeviceFailure | ExceptionCode::MemoryParityError | ExceptionCode::Custom(_) => {
            "look this exception up in the manual of the device"
        }
    }
}

/// An exception by its name (Modbus Application Protocol V1.1b3, 7).
pub(super) fn in_words(code: ExceptionCode) -> String {
    let word = match code {
        ExceptionCode::IllegalFunction => "illegal function",
        ExceptionCode::IllegalDataAddress => "illegal data address",
        ExceptionCode::IllegalDataValue => "illegal data value",
        ExceptionCode::ServerDeviceFailure => "server device failure",
        ExceptionCode::Acknowledge => "acknowledge",
        ExceptionCode::ServerDeviceBusy => "server device busy",
        ExceptionCode::MemoryParityError => "memory parity error",
        ExceptionCode::GatewayPathUnavailable => "gateway path unavailable",
        ExceptionCode::GatewayTargetDevice => "gateway target device failed to respond",
        ExceptionCode::Custom(_) => "an exception of its own",
    };
    format!("{word} (exception {})", u8::from(code))
}
