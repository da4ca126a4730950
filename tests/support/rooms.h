#pragma once

// What tests look at inside the rooms of protocols: settings, typed frames, machines.

#include "core/decode/protocol.h"
#include "core/protocol/can/can_decoder.h"
#include "core/protocol/can/can_frame.h"
#include "core/protocol/can/can_protocol.h"
#include "core/protocol/can/can_rate.h"
#include "core/protocol/can/can_settings.h"
#include "core/protocol/i2c/i2c_decoder.h"
#include "core/protocol/i2c/i2c_frame.h"
#include "core/protocol/i2c/i2c_protocol.h"
#include "core/protocol/i2c/i2c_settings.h"
#include "core/protocol/spi/spi_decoder.h"
#include "core/protocol/spi/spi_frame.h"
#include "core/protocol/spi/spi_protocol.h"
#include "core/protocol/spi/spi_settings.h"
#include "core/protocol/uart/uart_decoder.h"
#include "core/protocol/uart/uart_frame.h"
#include "core/protocol/uart/uart_protocol.h"
#include "core/protocol/uart/uart_settings.h"
#include "core/protocol/uart/uart_timing.h"
